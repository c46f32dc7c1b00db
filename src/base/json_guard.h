// What a stranger's JSON may be before it is parsed.
#pragma once
#include <cstdint>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <string_view>

#include "base/house.h"

namespace ovrix::base {

/// Throws Error, naming the file and the line, where a text is nested deeper, or holds longer texts or lists,
/// than anything that is written for us. All that walks over the parsed text may recurse then.
void requireBoundedJson(std::string_view text, const std::string& name);

/// A whole number from 0 on. Throws std::domain_error for anything else: fractions, and what is too large to
/// be one, too, which a cast would make any number of.
uint64_t wholeNumber(const nlohmann::json& j);

}  // namespace ovrix::base

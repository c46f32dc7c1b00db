// What a stranger's JSON may be before it is parsed.
#pragma once
#include <string>
#include <string_view>

#include "base/house.h"

namespace ovrix::base {

/// Throws Error, naming the file and the line, where a text is nested deeper, or holds longer texts or lists,
/// than anything that is written for us. All that walks over the parsed text may recurse then.
void requireBoundedJson(std::string_view text, const std::string& name);

}  // namespace ovrix::base

// What tests of fields need.
#pragma once
#include "field/field.h"

namespace ovrix::tests {

using namespace deliver;

/// The source with one of its parameters set.
inline FieldSource with(FieldSource s, const std::string& param, const Value& value) {
    s.params[param].value = value;
    return s;
}

}  // namespace ovrix::tests

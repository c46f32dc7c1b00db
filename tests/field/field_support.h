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

/// A field of one formula, ready to run.
inline std::shared_ptr<const CompiledField> compiledFormula(const std::string& text) {
    return std::make_shared<const CompiledField>(Field{{with(makeSource("formula"), "formula", text)}},
                                                 FieldContext());
}

}  // namespace ovrix::tests

#include "params/param_table.h"

#include <stdexcept>

namespace ovrix::params {

ParamSpec ParamTable::add(ParamSpec spec) {
    for (const ParamSpec& other : specs_)
        if (other.id == spec.id) throw std::logic_error("two parameters are declared as " + spec.id);
    specs_.push_back(spec);
    return spec;
}

}  // namespace ovrix::params

// Frames of simulations: sets of points with all their columns.
#pragma once
#include <map>
#include <string>
#include <vector>

#include "geo/attributes.h"

namespace ovrix::io {

/// What a file of a frame holds. Each set has "P"; texts say what it is of.
struct StateFile {
    std::vector<std::pair<std::string, AttributeSet>> sets;
    std::map<std::string, std::string> notes;
};

}  // namespace ovrix::io

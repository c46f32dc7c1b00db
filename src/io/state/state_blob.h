// Frames of simulations as they are handed from the reading process to the program.
#pragma once
#include <string_view>

#include "io/state/state_data.h"

namespace ovrix::io {

/// Sets of columns with their texts; columns of text are left out.
std::string packState(const StateFile& state);
StateFile unpackState(std::string_view bytes);

}  // namespace ovrix::io

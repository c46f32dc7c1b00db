// Frames of simulations as USD text.
#pragma once
#include <filesystem>

#include "io/state/state_data.h"

namespace ovrix::io {

/// Points, or curves where the second set counts their "points": places, velocities, ids and widths by their
/// standard names, all other columns as primvars. Numbers are written so that reading gives the same bits,
/// but for what is no number.
std::string stateAsUsda(const StateFile& state);
/// Throws Error, naming the file, when the text is damaged or none of ours.
StateFile stateFromUsda(const std::string& text, const std::filesystem::path& path);

}  // namespace ovrix::io

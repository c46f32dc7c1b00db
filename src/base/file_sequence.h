// Files that are the frames of one thing: "drops.####.ply" stands for drops.0001.ply, drops.0002.ply...
#pragma once
#include <filesystem>
#include <set>
#include <string>

#include "base/house.h"

namespace ovrix::base {

/// Whether the file's name holds a run of #. The last run stands for the frame.
bool isSequence(const std::string& path);
/// The name of one frame: with zeros before it, as many digits as #, and more where it needs them.
std::string fileOfFrame(const std::string& pattern, int frame);
/// The frames whose files are there, digits and all; empty where none is, or the folder cannot be read.
std::set<int> framesOf(const std::filesystem::path& pattern);
/// The sequence that a file is a frame of, when it has other frames beside it; else the file.
std::string sequenceOf(const std::filesystem::path& file);

}  // namespace ovrix::base

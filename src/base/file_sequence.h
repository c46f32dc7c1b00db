// Files that are the frames of one thing: "drops.####.ply" stands for drops.0001.ply, drops.0002.ply...
#pragma once
#include <filesystem>
#include <map>
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

/// A picture in tiles, one for each unit square of texture places: "rock.<UDIM>.png" stands for
/// rock.1001.png, rock.1002.png... as the trade numbers them: 1001 + column + 10 * row, of columns 0 to 9.
bool isTiled(const std::string& path);
inline constexpr int kFirstTile = 1001;
/// The tiles whose files are there, by number from 1001 to 9999; empty where none is.
std::map<int, std::filesystem::path> tilesOf(const std::filesystem::path& pattern);
/// The tiles that a file is one of, when it has others beside it; else the file.
std::string tiledOf(const std::filesystem::path& file);

}  // namespace ovrix::base

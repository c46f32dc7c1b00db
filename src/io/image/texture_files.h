// Where textures in tiles lie: made from others, and made again when they are not there.
#pragma once
#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>

namespace ovrix::io {

/// "ovrix/textures" in the user's folder for caches.
std::filesystem::path textureFolder();

/// The file of an image as it is now, another when the image changes; it may not be there yet. Nothing where
/// the folder cannot be written.
std::optional<std::filesystem::path> textureFile(const std::filesystem::path& image, const std::string& space,
                                                 uint64_t stamp);

/// Removes those that were not asked for the longest while all take more than @p most bytes. Those that this
/// process asked for stay, and no file with another name than textureFile() gives is touched. Thread safe, as
/// all here.
void dropTextureFiles(double most = 20e9);

}  // namespace ovrix::io

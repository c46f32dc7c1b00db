// The network that cleans pictures, with the weights that come beside the program.
#pragma once
#include <filesystem>
#include <memory>

#include "render/finish/denoise.h"

namespace ovrix::io {

/// Whether the weights are there; they are fetched when the program is set up, which takes a network.
bool hasDenoiser();

/// Made once and kept. Thread safe. Throws Error, with how to get what is missing.
std::shared_ptr<const render::DenoiserNetwork> denoiser();

/// What cleans albedo and normals first, and cleans light by them then: better where they are noisy, and
/// three times the work.
struct CleanedGuides {
    std::shared_ptr<const render::DenoiserNetwork> albedo, normal, light;
};
/// Null where its weights are not there. Made once and kept. Thread safe. Throws Error.
const CleanedGuides* cleanedGuides();

/// Made of weights in a file; for tests and other weights of the same shape. Throws Error.
std::shared_ptr<const render::DenoiserNetwork> denoiserOf(const std::filesystem::path& file);

}  // namespace ovrix::io

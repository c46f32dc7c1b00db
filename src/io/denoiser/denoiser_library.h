// What the denoiser's library does, which lies apart: see fromLibrary(). For denoiser.cpp alone.
#pragma once
#include <memory>

#include "io/denoiser/tensor_file.h"
#include "render/finish/denoise.h"

namespace ovrix::io {

struct DenoiserLibrary {
    /// Throws Error when a layer is missing or has other sizes than those beside it.
    std::shared_ptr<const render::DenoiserNetwork> (*make)(const Tensors& tensors);
};

}  // namespace ovrix::io

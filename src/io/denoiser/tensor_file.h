// The numbers of a network, as the published weights come.
#pragma once
#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace ovrix::io {

struct Tensor {
    std::vector<int> sizes;     ///< one to four, none below 1
    std::string layout;         ///< a letter for each size: "oihw", "x"
    std::vector<float> values;  ///< as many as the sizes' product, the last size running fastest
};

using Tensors = std::map<std::string, Tensor>;

/// Reads a file of tensors: a head with the magic number 0x41D7, version 2, then a table anywhere in the file
/// (docs/design.md). Every place and size is checked before it is followed. Throws Error naming the file.
Tensors readTensors(const std::filesystem::path& path);

}  // namespace ovrix::io

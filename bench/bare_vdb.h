// Frames of bakes by the OpenVDB library alone, to measure ours by.
#pragma once
#include <filesystem>
#include <memory>

namespace ovrix::bench {

/// The grids of a file, in memory.
class BareVdb {
  public:
    explicit BareVdb(const std::filesystem::path& path);
    ~BareVdb();
    /// Writes the same bytes to a file, with the same compression.
    void write(const std::filesystem::path& path) const;

  private:
    struct Grids;
    std::unique_ptr<Grids> grids_;
};

}  // namespace ovrix::bench

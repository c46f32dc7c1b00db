// Pictures that were looked at, kept on the disk with the scenes that they came from.
#pragma once
#include <span>

#include "document/model/document.h"

namespace ovrix::deliver {

struct HistoryEntry {
    std::filesystem::path picture = {};  ///< a PNG; the scene and the note lie beside it
    std::string name = {}, note = {};    ///< of the scene's file; what the artist says of it
    int64_t time = 0;                    ///< seconds since 1970
    int width = 0, height = 0, passes = 0;
    double seconds = 0;  ///< that it took
    double frame = 1;
};

/// A folder of pictures, newest first. Those without a note go, oldest first, when there are more than the
/// most. Several programs may share it. Not thread safe.
class PictureHistory {
  public:
    explicit PictureHistory(std::filesystem::path folder, size_t most = 100)
        : folder_(std::move(folder)), most_(most) {}
    /// Those that are whole; what is damaged is left out.
    std::vector<HistoryEntry> all() const;
    /// Keeps one; in place of the newest where that is of the same scene, size and frame: it went on. Throws
    /// Error.
    /// @param screen  0xAARRGGBB, rows from the top
    /// @param folder  where the scene's paths start
    HistoryEntry add(HistoryEntry entry, std::span<const uint32_t> screen, const Document& document,
                     const std::filesystem::path& folder) const;
    void setNote(const HistoryEntry& entry, const std::string& note) const;
    void remove(const HistoryEntry& entry) const;
    /// As it was, with paths that start in @p folder. Throws Error.
    Document documentOf(const HistoryEntry& entry, const std::filesystem::path& folder) const;

  private:
    void dropOld() const;
    std::filesystem::path folder_;
    size_t most_;
};

}  // namespace ovrix::deliver

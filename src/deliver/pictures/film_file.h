// Films as files: a picture that is stopped and gone on with, worked on longer, or made in parts.
#pragma once
#include <filesystem>

#include "base/progress.h"
#include "deliver/pictures/render_file.h"

namespace ovrix::deliver {

/// Passes of a region of the picture.
struct PassRange {
    Rect region;
    uint32_t first = 0, count = 0;
    bool operator==(const PassRange&) const = default;
};

/// What a film is of, and which of its passes it has.
struct FilmNotes : PictureNotes {
    uint64_t picture = 0;     ///< see pictureHash()
    uint32_t log2Passes = 6;  ///< see Sampler: passes that are added go by it, too
    std::vector<PassRange> ranges;
    /// Whether it has a pass of a whole region; of any of it.
    bool has(const Rect& region, uint32_t pass) const;
    bool meets(const Rect& region, uint32_t pass) const;
    /// How many of a whole region it has, from the first on.
    uint32_t passesOf(const Rect& region) const;
    /// Passes of a region that were made; joined with the last ones where they follow.
    void add(const Rect& region, uint32_t pass);
};

struct FilmFile {
    Film film;
    FilmNotes notes;
};

/// The usual ending, with its dot.
inline constexpr const char* kFilmEnding = ".film";

/// A hash of all that a picture goes by but its size, and for how long it is worked on: of the scene, what
/// was made of it, the frame, the camera and the seed. Of images that materials read, by their names.
uint64_t pictureHash(const SceneContext& scene, const JobOptions& options, const RenderJob& job);

/// What is begun for a job; regions and passes are none yet.
FilmFile beginFilm(const RenderJob& job, uint64_t picture, int width, int height);

/// As plain columns: see writeStateColumns(). The file is whole or as it was before. Throws Error.
void writeFilm(const std::filesystem::path& path, const FilmFile& film);

/// Throws Error where the file is damaged, none of ours or takes more than @p memory bytes; Cancelled.
FilmFile readFilm(const std::filesystem::path& path, size_t memory, Progress& progress);

/// Adds what another film of the same picture has. Throws Error, with @p name for the other one, where it is
/// of another picture or both have the same pass of a place.
void addFilm(FilmFile& to, const FilmFile& other, const std::string& name);

}  // namespace ovrix::deliver

// What a brush painted on a picture, as a mask.
#pragma once
#include "render/finish/picture_work.h"

namespace ovrix::render {

/// How much strokes cover each pixel, 0 to 1, one over another: a stroke covers a place once, however often
/// it goes over it. Rows from the top; cost grows with the places that they cover. Thread safe. Throws
/// Cancelled.
/// @param window  what the pixels show of a picture of @p film pixels
std::vector<float> paintedMask(const PictureStrokes& strokes, int width, int height,
                               const PictureWindow& window, const V2i& film, Progress& progress);
/// The same on the pixels of a picture that is being finished.
std::vector<float> paintedMask(const PictureWork& work, const PictureStrokes& strokes);

}  // namespace ovrix::render

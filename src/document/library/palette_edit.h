// Palettes: as files, and spread over what is many.
#pragma once
#include <filesystem>

#include "document/model/document.h"
#include "params/palette.h"

namespace ovrix::document {

/// The palette's colours by their shares, at random over elements, as the first colour of what a node wears,
/// or of a material itself. What wears nothing gets a material. Throws Error on what has no colour, and on an
/// empty palette.
Document withPaletteSpread(const Document& document, const std::string& node, const params::Palette& palette);

struct NamedPalette {
    std::string name;
    params::Palette colors;
};
/// NAME.palette: JSON. Throw Error naming the file.
void savePalette(const NamedPalette& palette, const std::filesystem::path& path);
NamedPalette loadPalette(const std::filesystem::path& path);

}  // namespace ovrix::document

// A part of a scene by itself, as a file of a library.
#pragma once
#include <filesystem>

#include "document/model/document.h"

namespace ovrix::document {

/// A node, and the prototypes and materials that it needs, as a small document: it is the first of its nodes.
struct PartsFile {
    std::string name, about;  ///< about: a line for a list
    Document parts;
    std::vector<std::string> leftOut;  ///< what could not come along, in words; not kept in the file

    const Node& first() const { return *parts.nodes().front(); }
};

/// Of what kind a file is.
struct PartsKind {
    std::string format, ending, word;
    Category first;  ///< of its first node
};
extern const PartsKind kRecipes, kMaterials;

/// Adds the node with all that it needs. What cannot come along is named, and its references are emptied.
void gatherParts(const Document& document, Node node, PartsFile& out);
/// Adds what the first node needs to a document, or takes what is just so there already; gives that node with
/// their ids.
Node settledParts(Document& document, const PartsFile& file);

/// The node of the document that is just like @p part but for its id; null when there is none.
const Node* likenessOf(const Document& document, Node part);

/// JSON as in a scene, with the same versions. Throw Error naming the file and the place.
std::string writeParts(const PartsFile& file, const PartsKind& kind);
PartsFile readParts(const std::string& text, const std::string& name, const PartsKind& kind);

/// One file of the library.
struct LibraryEntry {
    std::string name, about, error;  ///< error: why the file cannot be read; then nothing else is known
    std::filesystem::path file;
    std::filesystem::path picture;  ///< beside the file, or where pictures are kept; may not be there yet
    bool own = false;               ///< saved by the artist, and may be taken out
};

/// Those that come with the program, then the artist's own, each by name. @p pictures keeps the pictures of
/// those in folders that cannot be written to.
std::vector<LibraryEntry> libraryOf(const PartsKind& kind, const std::filesystem::path& builtIn,
                                    const std::filesystem::path& own, const std::filesystem::path& pictures);

}  // namespace ovrix::document

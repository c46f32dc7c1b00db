// A scene as it is evaluated.
#pragma once
#include <filesystem>

#include "document/model/document.h"

namespace ovrix::eval {

/// A document and where it lies. A value: who works on one goes on with it while the artist edits on.
struct SceneContext {
    Document document;
    std::filesystem::path folder;  ///< where its relative paths start; empty: where the program runs
    std::filesystem::path file;    ///< its own, beside which its bakes lie; empty for none yet

    SceneContext(Document d = {}, std::filesystem::path startsAt = {}, std::filesystem::path liesAt = {})
        : document(std::move(d)), folder(std::move(startsAt)), file(std::move(liesAt)) {}
    /// A scene that was read from a file.
    static SceneContext ofFile(Document d, const std::filesystem::path& file);

    /// Where a path of the document leads; empty for none.
    std::filesystem::path resolve(const std::string& path) const;
    /// Changes when the file of that path does, or any file of a sequence.
    uint64_t stampOf(const std::string& path) const;
};

}  // namespace ovrix::eval

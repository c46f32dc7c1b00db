// An open document with its history, its file, and what was saved of it.
#pragma once
#include <functional>

#include "document/model/document.h"

namespace ovrix::document {

/// Not thread safe: one thread edits; workers take copies of document().
class Session {
  public:
    const Document& document() const { return current_; }
    const std::filesystem::path& path() const { return path_; }
    /// Where relative paths of the document start: its file's folder, or the working folder.
    std::filesystem::path folder() const;
    bool dirty() const { return !(current_ == saved_); }

    /// Makes @p next the document, as one step of undo. While the same non-empty @p mergeKey comes again and
    /// endMerge() was not called, it joins the step before: a drag is one step.
    void apply(const std::string& label, Document next, const std::string& mergeKey = {});
    void endMerge() { mergeKey_.clear(); }
    bool canUndo() const { return !undo_.empty(); }
    bool canRedo() const { return !redo_.empty(); }
    void undo();
    void redo();
    /// What undo() and redo() would take back or do again; empty for nothing.
    std::string undoLabel() const { return undo_.empty() ? "" : undo_.back().label; }
    std::string redoLabel() const { return redo_.empty() ? "" : redo_.back().label; }

    /// Replaces everything; no history, nothing dirty.
    void reset(Document document, const std::filesystem::path& path = {});
    /// Throws Error and changes nothing when the file cannot be read.
    void load(const std::filesystem::path& path);
    /// Throws Error when the file cannot be written; the session then stays as it was.
    void save(const std::filesystem::path& path);
    /// Takes up a recovered document: it belongs to @p path and counts as not saved.
    void recover(Document document, const std::filesystem::path& path);

    /// Called after each change of the document.
    std::function<void()> onChange;

  private:
    struct Entry {
        std::string label;
        Document before, after;
    };
    void changed() const {
        if (onChange) onChange();
    }
    Document current_ = Document::fresh(), saved_ = current_;
    std::filesystem::path path_;
    std::vector<Entry> undo_, redo_;
    std::string mergeKey_;
};

/// Keeps what was not saved in a file of its own, so that a crash or a kill loses little.
class Autosave {
  public:
    /// @param folder  made if missing; one file per running program
    explicit Autosave(std::filesystem::path folder);
    /// Writes the document with absolute paths, and which file it belongs to.
    void write(const Document& document, const std::filesystem::path& folder,
               const std::filesystem::path& original);
    /// Nothing needs keeping any more.
    void clear();

    struct Found {
        std::filesystem::path file, original;
    };
    /// Files of programs that no longer run.
    std::vector<Found> found() const;
    /// Reads one. Throws Error. The document's paths are absolute.
    static Document read(const Found& found);
    static void discard(const Found& found);
    /// Where a user's autosaves are kept.
    static std::filesystem::path userFolder();

  private:
    std::filesystem::path folder_, file_;
};

}  // namespace ovrix::document

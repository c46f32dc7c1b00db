// The reference of the manual, made from what is declared.
#pragma once
#include <string>
#include <vector>

namespace ovrix::cli {

struct Page {
    std::string file, text;  ///< name of the file, and its Markdown
};

/// Steps, parts of simulations, sources of fields, nodes and formats of files: a page each, and one that
/// lists them. The same declarations, the same bytes.
std::vector<Page> referencePages();

}  // namespace ovrix::cli

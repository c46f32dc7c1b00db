// What an edit changed.
#pragma once
#include <set>
#include <string>

#include "document/model/document.h"

namespace ovrix::document {

/// Nodes that differ between two documents.
struct DocumentChanges {
    std::set<std::string> nodes;  ///< ids of those that were added, removed, or are others now
    bool list = false;            ///< whether some were added, removed, or stand in another order
    bool names = false;           ///< whether some are called otherwise now
    bool none() const { return nodes.empty() && !list; }
    bool has(const std::string& id) const { return nodes.count(id) != 0; }
};

/// Compares what documents share, not what they hold: nodes are immutable, so one that is the same object has
/// not changed, and an edit that changes nothing may tell of a node. Linear in the number of nodes. Thread
/// safe.
DocumentChanges changesBetween(const Document& before, const Document& after);

}  // namespace ovrix::document

// The ids that a node's parameters name, wherever they stand.
#pragma once
#include <functional>

#include "document/model/document.h"

namespace ovrix::document {

/// What @p change makes of an id; an emptied one is taken out of Shares, and left empty elsewhere. Only
/// parameters that are declared as references count: a choice or a text may happen to read like an id.
using ReferenceChange = std::function<void(const ParamSpec& spec, std::string& id)>;

/// Over the node's own parameters and those of its steps; not its parent.
void changeReferences(Node& node, const ReferenceChange& change);

/// The same walk, of who only looks.
void visitReferences(const Node& node,
                     const std::function<void(const ParamSpec& spec, const std::string& id)>& visit);

/// Whether a node may stand where @p kind is asked for: "object or layer", as ParamSpec::refKind says it.
bool isOfKind(const Node& node, const std::string& kind);

}  // namespace ovrix::document

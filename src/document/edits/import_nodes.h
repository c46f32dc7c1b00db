// Objects, layers and what else a scene holds, taken into another scene.
#pragma once
#include <map>
#include <set>

#include "document/model/document.h"

namespace ovrix::document {

/// What may come along: all but the settings.
bool mayComeAlong(const Node& node);

/// Those that are chosen, and all that they need to be what they are: materials, prototypes, curves, what
/// layers lie on, the layer whose recipe another follows, parents, and in turn what those need. What fields,
/// forces and swarms only look at is not among them.
std::set<std::string> withNeeds(const Document& other, const std::set<std::string>& chosen);

/// Something that the chosen ones name and that does not come along.
struct LooseEnd {
    std::string id, name;            ///< in the other scene; a name of its own where it is not there either
    std::string kind;                ///< what may stand in its place, as ParamSpec::refKind says it
    std::vector<std::string> named;  ///< names of those that name it
    bool missing = false;            ///< the other scene does not have it
};
std::vector<LooseEnd> looseEnds(const Document& other, const std::set<std::string>& chosen);

/// What a loose end may be bound to here: nodes of that kind, in the order of the scene.
std::vector<const Node*> bindable(const Document& here, const LooseEnd& end);
/// The one of them with the same name; empty for none.
std::string likelyBinding(const Document& here, const LooseEnd& end);

struct ImportOptions {
    std::set<std::string> chosen;             ///< ids in the other scene
    std::map<std::string, std::string> bind;  ///< loose ends by id, and what they are here; others are let go
};

struct ImportedNodes {
    Document document;
    std::vector<std::string> ids;    ///< of what is new, in the order of the other scene
    std::vector<std::string> notes;  ///< what is not as it was there, in words
};

/// Adds the chosen ones with ids that are free, and names that no other has. Paths of files in @p other must
/// already start where those of @p here do. Throws Error when one that is chosen is not there or cannot come
/// along, or a binding names nothing here.
ImportedNodes importedNodes(const Document& here, const Document& other, const ImportOptions& what);

}  // namespace ovrix::document

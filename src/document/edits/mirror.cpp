#include "document/edits/mirror.h"

#include "base/error.h"
#include "document/edits/aim.h"
#include "document/edits/edits.h"
#include "document/model/params.h"

namespace ovrix::document {

namespace {

/// Turns components of a parameter around: of its value and of its keys.
void turnAround(Node& node, const std::string& param, const V3d& signs) {
    const ParamSpec* spec = findSpec(specsOf(node), param);
    if (!spec) return;
    Param p = paramOr(*spec, node.params);
    if (!p.formulas.empty())
        throw Error("cannot be mirrored: a formula says its " + spec->title, node.name,
                    "Take the formula off");
    const auto turn = [&](Value& value) {
        if (auto* v = std::get_if<V3d>(&value)) *v = *v * signs;
        if (auto* x = std::get_if<double>(&value)) *x *= signs.x;
    };
    turn(p.value);
    for (Key& key : p.keys) {
        turn(key.value);
        for (KeyHandle* handle : {&key.before, &key.after})
            for (size_t k = 0; k < 3; ++k) handle->by[k] *= signs[int(k)];
    }
    node.params[param] = std::move(p);
}

}  // namespace

Document withMirrored(const Document& document, const std::string& id, int axis, std::string* newId) {
    const Node& node = document.get(id);
    const NodeType* type = findNodeType(node.type);
    if (!type || (!type->placed() && !type->camera))
        throw Error("stands nowhere, and has no other side", node.name,
                    "Choose an object, a light or a camera");
    requireOwnPlace(document, id);
    std::string made;
    Document out = withDuplicate(document, id, &made);
    Node copy = out.get(made);
    V3d across(1.0);
    across[axis] = -1.0;
    const PlacementParams& place = kObject.object.transform.placement;
    turnAround(copy, place.position.id(), across);
    // A turn about the axis stays, the others go the other way; and the thing itself is mirrored.
    turnAround(copy, place.rotation.id(), -across);
    turnAround(copy, place.scale.id(), across);
    if (type->camera) {
        turnAround(copy, kCamera.target.id(), across);
        turnAround(copy, kCamera.roll.id(), V3d(-1.0));
    }
    out.put(std::move(copy));
    if (newId) *newId = made;
    return out;
}

}  // namespace ovrix::document

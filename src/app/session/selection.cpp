#include "app/session/selection.h"

#include "base/error.h"

namespace ovrix::app {

/// Whether what was painted on is still there, and still a painted source.
static bool paintable(const Document& document, ParamPath path) {
    const Node* node = document.find(path.node);
    if (!node) return false;
    const int source = std::exchange(path.source, -1);
    try {
        const Param param = paramAt(document, path);
        return param.field && size_t(source) < param.field->sources.size() &&
               isPainted(param.field->sources[size_t(source)]);
    } catch (const Error&) {
        return false;
    }
}

void Selection::select(const std::string& id) {
    if (id == id_) return;
    id_ = id;
    if (!painting_.node.empty() && painting_.node != id) setPainting({});
    if (!overlay_.node.empty() && overlay_.node != id) setOverlay({});
    Q_EMIT selectionChanged();
}

void Selection::setOverlay(const ParamPath& path) {
    if (path == overlay_) return;
    overlay_ = path;
    Q_EMIT overlayChanged();
}

void Selection::setAiming(bool aiming) {
    if (std::exchange(aiming_, aiming) != aiming) Q_EMIT aimingChanged();
}

void Selection::setPainting(const ParamPath& source) {
    if (source == painting_) return;
    painting_ = source;
    Q_EMIT paintingChanged();
    if (source.node.empty()) return;
    ParamPath owner = source;
    owner.source = -1;
    owner.sourceParam.clear();
    setOverlay(owner);
}

void Selection::followDocument() {
    if (!id_.empty() && !session_.document().find(id_)) select({});
    if (!painting_.node.empty() && !paintable(session_.document(), painting_)) setPainting({});
}

void Selection::clear() {
    id_.clear();
    overlay_ = painting_ = {};
}

}  // namespace ovrix::app

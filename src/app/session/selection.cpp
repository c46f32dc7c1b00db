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
    if (!masking_.node.empty() && masking_.node != id) setMasking({});
    setElements({});
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

void Selection::setElements(std::set<uint64_t> ids) {
    if (ids == elements_) return;
    elements_ = std::move(ids);
    Q_EMIT elementsChanged();
}

void Selection::setMasking(const ParamPath& strokes) {
    if (strokes == masking_) return;
    masking_ = strokes;
    Q_EMIT maskingChanged();
}

std::optional<PictureStrokes> Selection::maskedStrokes() const {
    if (masking_.node.empty() || !session_.document().find(masking_.node)) return {};
    try {
        const Param param = paramAt(session_.document(), masking_);
        const auto* strokes = std::get_if<PictureStrokes>(&param.value);
        return strokes ? std::optional(*strokes) : std::nullopt;
    } catch (const Error&) {
        return {};
    }
}

void Selection::followDocument() {
    if (!id_.empty() && !session_.document().find(id_)) select({});
    if (!painting_.node.empty() && !paintable(session_.document(), painting_)) setPainting({});
    if (!masking_.node.empty() && !maskedStrokes()) setMasking({});
}

void Selection::clear() {
    id_.clear();
    overlay_ = painting_ = masking_ = {};
    elements_.clear();
}

}  // namespace ovrix::app

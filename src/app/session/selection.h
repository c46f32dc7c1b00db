// What is chosen, what is looked at closely, and what is painted.
#pragma once
#include <QObject>

#include "document/edits/edits.h"
#include "document/file/session.h"

namespace ovrix::app {

/// What a node's id is dragged as.
inline constexpr const char* kNodeMime = "application/x-ovrix-node";

/// Of the interface's thread.
class Selection : public QObject {
    Q_OBJECT
  public:
    explicit Selection(const Session& session, QObject* parent) : QObject(parent), session_(session) {}

    const std::string& id() const { return id_; }
    /// Null when nothing is chosen.
    const Node* node() const { return session_.document().find(id_); }
    void select(const std::string& id);

    /// The field whose heat map lies on the surface; an empty node for none.
    const ParamPath& overlay() const { return overlay_; }
    void setOverlay(const ParamPath& path);

    /// The painted source that the view's brush works on; an empty node for none.
    const ParamPath& painting() const { return painting_; }
    void setPainting(const ParamPath& source);

    /// What is painted on the render: strokes on its picture; an empty node for none.
    const ParamPath& masking() const { return masking_; }
    void setMasking(const ParamPath& strokes);
    /// What is there of it; nothing where nothing is painted on, or it is gone.
    std::optional<PictureStrokes> maskedStrokes() const;

    /// Elements of the chosen layer that are marked in the view and in tables, by id.
    const std::set<uint64_t>& elements() const { return elements_; }
    void setElements(std::set<uint64_t> ids);

    /// Whether a tool of the view works on what the chosen layer lies on.
    bool aiming() const { return aiming_; }
    void setAiming(bool aiming);

    /// Lets go of what an edit took away.
    void followDocument();
    /// Nothing is chosen any more. Tells nobody: all of the scene is another.
    void clear();

  Q_SIGNALS:
    void selectionChanged();
    void overlayChanged();
    void paintingChanged();
    void maskingChanged();
    void elementsChanged();
    void aimingChanged();

  private:
    const Session& session_;
    std::string id_;
    ParamPath overlay_, painting_, masking_;
    std::set<uint64_t> elements_;
    bool aiming_ = false;
};

}  // namespace ovrix::app

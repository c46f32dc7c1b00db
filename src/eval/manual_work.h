// What the view does to a layer by hand: painting its masks, and placing, moving and taking out single
// elements.
#pragma once
#include "document/edits/edits.h"
#include "field/paint.h"

namespace ovrix::eval {

/// The document after some dabs on the painted source that @p source names (its param is not looked at). The
/// map is made, or moved to the surface's topology, where it has to be. Throws Error when the source is none,
/// or the surface has no faces.
Document withDabs(const Document& document, const ParamPath& source, SurfacePtr surface, const Brush& brush,
                  std::span<const Dab> dabs, double frame);

/// A stroke on a painted source at work: all that it needs, so that it may go on on another thread while the
/// document is edited. For one thread at a time.
class PaintStroke {
  public:
    /// Throws Error as withDabs() does.
    PaintStroke(const Document& document, const ParamPath& source, SurfacePtr surface, double frame);
    void apply(const Brush& brush, std::span<const Dab> dabs);
    /// As it is now.
    MapValue map() const { return {map_}; }

  private:
    SurfacePtr surface_;
    FieldSource source_;
    M44f objectFromWorld_;
    size_t memory_;
    double frame_;
    std::shared_ptr<const PaintedMap> map_;  ///< null before the first dab
};
/// The painted source with a map, whatever it had. Throws Error when it is none.
Document withPaintedMap(const Document& document, const ParamPath& source, MapValue map);

/// The layer's step that holds what was changed by hand, last in the recipe; made when @p change needs it.
Document withManualEdit(const Document& document, const std::string& layer,
                        const std::function<void(ManualEdits&)>& change);
/// The layer's comb step with edits put in, made when there is none: after combIndex(). Throws Error when the
/// layer makes no strands. @p topology  of the surface that planted strands stand on
Document withCombing(const Document& document, const std::string& layer, std::vector<StrandEdit> edits,
                     uint64_t topology);
/// The combing that a layer has; empty without a comb step.
StrandEdits combingOf(const Document& document, const std::string& layer);
/// What is held of an element now: an empty edit of that id where there is none.
ManualEdit manualEditOf(const Document& document, const std::string& layer, uint64_t id);
/// An added element standing on a surface at a place. @p id gets its id.
Document withPlaced(const Document& document, const std::string& layer, const std::string& prototype,
                    const V3f& position, const V3f& normal, uint64_t* id = nullptr);
/// The elements as objects of their own, taken out of the layer. @p newIds gets the objects' ids.
Document withMadeReal(const Document& document, const std::string& layer, const Copies& copies,
                      std::span<const uint64_t> ids, std::vector<std::string>* newIds = nullptr);

}  // namespace ovrix::eval

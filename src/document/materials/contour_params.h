// Lines that all materials may draw.
#pragma once
#include "document/model/node_types.h"
#include "render/scene/line_art.h"

namespace ovrix::document {

struct ContourParams {
    /// @param on  whether they are drawn at first
    ContourParams(ParamTable& table, bool on);
    Handle<bool> on;
    Handle<Varying> width;
    Handle<std::string> unit, colored;
    Handle<VaryingColor> color;
    Handle<double> darkened;
    Handle<bool> objects, elements, materials;
    Handle<double> crease, jump;
};

/// The lines as the view draws them: as wide as they are at most.
DrawnLook lookOf(const Document& document, const Node& node, double frame, const ContourParams& params);

/// Null where none are drawn.
std::shared_ptr<const Contours> contoursOf(const ResolvedParams& values, const ContourParams& params);

}  // namespace ovrix::document

#include "document/types/curve.h"

#include "document/model/params.h"

namespace ovrix::document {

using namespace specs;

CurveParams::CurveParams()
    : points(add({.id = "points",
                  .title = "Points",
                  .type = ParamType::Points,
                  .initial = CurvePoints{},
                  .help = "What it goes through; drawn in the view"})),
      closed(add(specs::flag("closed", "Closed", false, "Goes on from the last point to the first"))),
      round(add(specs::flag("round", "Round", true,
                            "Bends through its points; else straight from one to the next"))),
      placement(*this, Affects::Result),
      wander(*this, Affects::Result) {}

const CurveParams kCurve;

NodeType curveType() {
    return {
        .id = "curve",
        .title = "Curve",
        .category = Category::Curve,
        .help = "A line to place things along, or to turn them to",
        .params = kCurve.specs(),
    };
}

}  // namespace ovrix::document

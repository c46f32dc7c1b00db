#include "document/types/curve.h"

#include "document/types/common.h"

namespace ovrix::document {

using namespace specs;

NodeType curveType() {
    return {
        .id = "curve",
        .title = "Curve",
        .category = Category::Curve,
        .help = "A line to place things along, or to turn them to",
        .params = Specs{{.id = "points",
                         .title = "Points",
                         .type = ParamType::Points,
                         .initial = CurvePoints{},
                         .help = "What it goes through; drawn in the view"},
                        flag("closed", "Closed", false, "Goes on from the last point to the first"),
                        flag("round", "Round", true,
                             "Bends through its points; else straight from one to the next")} +
                  standing() + wanders(),
    };
}

}  // namespace ovrix::document

#include "document/types/layer.h"

#include "document/model/params.h"
#include "geo/surface/surface.h"

namespace ovrix::document {

using namespace specs;

LayerParams::LayerParams()
    : surface(add(specs::ref("surface", "Surface", "object or layer",
                             "What it lies on: an object, or the copies that another layer makes"))),
      material(add(Affects::Appearance,
                   specs::ref("material", "Material", "material",
                              "For all that it makes; of copies each prototype's own when none is chosen"))),
      showAs(add(Affects::Appearance,
                 shownIf(specs::choice("show_as", "Shown as", "auto", {"auto", "meshes", "boxes", "dots"},
                                       "How the view draws its copies; auto keeps the view fluid"),
                         "makes=copies"))),
      pointsAs(
          add(Affects::Appearance,
              shownIf(specs::choice("points_as", "Points as", "dots", {"dots", "sized", "streaks"},
                                    "How the view draws them: alike, by their radius or size, or as lines "
                                    "that show where they go in a frame"),
                      "makes=points"))),
      pointsBy(add(Affects::Appearance,
                   shownIf(specs::text("points_by", "Coloured by", "",
                                       "A channel, from its least to its most; their own colour for none"),
                           "makes=points"))),
      cut(add(Affects::Appearance,
              shownIf(specs::choice("points_cut", "Looks inside", "all", {"all", "slice", "box"},
                                    "The view shows all points, those of a slice, or those in a box"),
                      "makes=points"))),
      cutAxis(add(Affects::Appearance, shownIf(specs::choice("cut_axis", "Slice across", "x", {"x", "y", "z"},
                                                             "The axis that it stands across"),
                                               "points_cut=slice"))),
      cutAt(add(Affects::Appearance, shownIf(specs::number("cut_at", "Slice at", 0, "m", -1e6, 1e6, -1, 1,
                                                           "Its middle, in the world"),
                                             "points_cut=slice"))),
      cutThickness(add(Affects::Appearance, shownIf(specs::number("cut_thickness", "Thickness", 0.02, "m", 0,
                                                                  1e6, 0.001, 0.2, "Of the slice"),
                                                    "points_cut=slice"))),
      cutFrom(add(Affects::Appearance, shownIf(specs::vector("cut_from", "Box from", V3d(-1, 0, -1), "m", 10,
                                                             "A corner, in the world"),
                                               "points_cut=box"))),
      cutTo(add(Affects::Appearance,
                shownIf(specs::vector("cut_to", "Box to", V3d(1, 1, 1), "m", 10, "The other corner"),
                        "points_cut=box"))),
      showFill(add(Affects::Appearance,
                   shownIf(specs::flag("show_fill", "Strands", true, "The view draws all that it makes"),
                           "makes=strands"))),
      showGuides(add(Affects::Appearance,
                     shownIf(specs::flag("show_guides", "Guides", false,
                                         "The view draws the guides that the rest is laid between"),
                             "makes=strands"))),
      showRoots(
          add(Affects::Appearance, shownIf(specs::flag("show_roots", "Roots", false,
                                                       "The view marks where guides, or all strands, begin"),
                                           "makes=strands"))),
      viewShare(add(Affects::Appearance,
                    specs::unitNumber("view_share", "Shown share", 1,
                                      "Fraction of its copies or strands that the view shows"))),
      viewMost(add(Affects::Appearance, specs::whole("view_most", "Shown at most", 0, 0, 1e12, 0, 1000000,
                                                     "The view shows no more than this many; 0 is all"))),
      thinFrom(add(
          Affects::Appearance,
          specs::number("thin_from", "Thin out from", 0, "m", 0, 1e6, 0, 20,
                        "Farther than this from the camera, copies thin out with the distance, in view and "
                        "render; 0 never"))),
      cull(add(Affects::Appearance,
               specs::choice("cull", "Leave out unseen", "never", {"never", "view", "view and render"},
                             "Makes only what the scene's camera sees"))),
      cullMargin(add(Affects::Appearance,
                     shownIf(specs::number("cull_margin", "Margin", 0.5, "m", 0, 1e6, 0, 5,
                                           "Kept around the camera's view, for shadows and reflections"),
                             "cull!=never"))),
      rest(add(
          specs::number("rest", "Rest frame", 1, "", -1e6, 1e6, 0, 250,
                        "What is placed lies where it does on the surface of this frame, and goes with it "
                        "from there"))),
      warp(add(specs::flag("warp", "Own time", false,
                           "Shows other frames than the scene's: slower, backward, along a curve"))),
      warpAt(add(shownIf(
          specs::number("warp_at", "Shows frame", 1, "", -1e6, 1e6, 1, 250,
                        "Give it keys or a formula such as 97 - frame; between frames, what lies between"),
          "warp=true"))),
      // What it has from there counts by itself.
      linked(add(Affects::Appearance,
                 specs::ref("linked", "Recipe of", "layer",
                            "Follows the recipe of another layer; values set here are its own"))) {}

const LayerParams kLayer;

NodeType layerType() {
    return {.id = "layer",
            .title = "Layer",
            .category = Category::Layer,
            .help = "A recipe on a surface, and what it makes",
            .params = kLayer.specs()};
}

}  // namespace ovrix::document

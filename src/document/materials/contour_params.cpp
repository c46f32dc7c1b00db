#include "document/materials/contour_params.h"

#include "document/model/document.h"

namespace ovrix::document {

using namespace specs;

namespace {

constexpr const char *kPixels = "pixels", *kPicture = "picture", *kMillimetres = "mm";
constexpr const char *kOwn = "own", *kDarkened = "darkened";

Contours::Unit unitOf(const std::string& text) {
    return text == kPixels        ? Contours::Unit::Pixels
           : text == kMillimetres ? Contours::Unit::Metres
                                  : Contours::Unit::Picture;
}

ParamSpec where(ParamSpec spec) { return shownIf(std::move(spec), "contours=true"); }

}  // namespace

ContourParams::ContourParams(ParamTable& table, bool isOn)
    : on(table.add(flag("contours", "Contours", isOn, "Lines around what wears it"))),
      width(table.add(where(drivable(number("contour_width", "Line width", 2, "", 0, 1000, 0, 10,
                                            "Half of it on each side of an edge; a field lets it taper"))))),
      unit(table.add(where(choice("contour_unit", "Width in", kPicture, {kPicture, kPixels, kMillimetres},
                                  "Thousandths of the picture's height, pixels of any picture, or "
                                  "millimetres of the scene")))),
      colored(table.add(where(choice("contour_colored", "Line is", kOwn, {kOwn, kDarkened},
                                     "Of its own colour, or what is shaded there, darkened")))),
      color(table.add(where(
          specs::color("contour_color", "Line colour", Color(0.0f), true, "Of lines that have their own")))),
      darkened(table.add(
          shownIf(unitNumber("contour_darkened", "Darkness", 0.35, "Of the shading: 0 is black, 1 as it is"),
                  "contour_colored=darkened"))),
      objects(table.add(where(flag("contour_objects", "At objects", true,
                                   "Where another object, another layer or nothing begins")))),
      elements(table.add(where(
          flag("contour_elements", "At elements", false, "Around each copy and each strand of a layer")))),
      materials(
          table.add(where(flag("contour_materials", "At materials", true, "Where another material begins")))),
      crease(table.add(where(number("contour_crease", "Creases", 50, "deg", 0, 180, 10, 180,
                                    "Where faces turn by more; 180 draws none")))),
      jump(table.add(where(number("contour_jump", "Depth jump", 0.05, "m", 0, 1e4, 0, 1,
                                  "Where it hides part of itself that lies further back than this; 0 draws "
                                  "none")))) {}

std::shared_ptr<const Contours> contoursOf(const ResolvedParams& p, const ContourParams& params) {
    if (!p[params.on]) return nullptr;
    auto c = std::make_shared<Contours>();
    c->width = p[params.width];
    c->unit = unitOf(p[params.unit]);
    if (c->unit == Contours::Unit::Metres) c->width.low *= 0.001f, c->width.high *= 0.001f;
    c->color = p[params.color];
    c->darkened = p[params.colored] == kDarkened ? float(p[params.darkened]) : -1.0f;
    c->objects = p[params.objects], c->elements = p[params.elements], c->materials = p[params.materials];
    c->crease = radians(float(p[params.crease]));
    c->jump = float(p[params.jump]);
    return c;
}

DrawnLook lookOf(const Document& document, const Node& node, double frame, const ContourParams& params) {
    DrawnLook look;
    if (!document.value(node.id, params.on, frame)) return look;
    look.width = float(document.value(node.id, params.width, frame));
    look.unit = unitOf(document.value(node.id, params.unit, frame));
    if (look.unit == Contours::Unit::Metres) look.width *= 0.001f;
    look.objects = document.value(node.id, params.objects, frame);
    look.elements = document.value(node.id, params.elements, frame);
    look.materials = document.value(node.id, params.materials, frame);
    look.crease = radians(float(document.value(node.id, params.crease, frame)));
    look.jump = float(document.value(node.id, params.jump, frame));
    look.color = document.value(node.id, params.color, frame);
    if (document.value(node.id, params.colored, frame) == kDarkened) {
        const NodeType* type = findNodeType(node.type);
        if (type && type->color)
            look.color = type->color(document, node) * float(document.value(node.id, params.darkened, frame));
    }
    return look;
}

}  // namespace ovrix::document

#include "render/scene/point_columns.h"

namespace ovrix::render {

namespace {

template <class T>
std::vector<T> column(std::span<const SurfacePoint* const> points, T SurfacePoint::*of) {
    std::vector<T> out(points.size());
    for (size_t i = 0; i < out.size(); ++i) out[i] = points[i]->*of;
    return out;
}

}  // namespace

uint32_t PointColumns::kindOf(const SurfacePoint& p) {
    return uint32_t(p.strand) | uint32_t(p.arriving >= 0.0f) << 1 | uint32_t(p.face >= 0) << 2 |
           uint32_t(p.width > 0.0f) << 3 | uint32_t(p.uvWidth > 0.0f) << 4 | uint32_t(p.placed) << 5 |
           uint32_t(p.elements != nullptr) << 6;
}

PointColumns::PointColumns(std::span<const SurfacePoint* const> points)
    : position_(column(points, &SurfacePoint::position)),
      normal_(column(points, &SurfacePoint::normal)),
      eye_(column(points, &SurfacePoint::eye)),
      uv_(column(points, &SurfacePoint::uv)),
      id_(column(points, &SurfacePoint::element)),
      backside_(points.size()),
      samples_(points.size()) {
    for (size_t i = 0; i < points.size(); ++i) backside_[i] = points[i]->backside ? 1.0f : 0.0f;
    const SurfacePoint& first = *points[0];
    if (first.strand) along_ = column(points, &SurfacePoint::along);
    if (first.arriving >= 0.0f) arriving_ = column(points, &SurfacePoint::arriving);
    if (first.face >= 0) face_ = column(points, &SurfacePoint::face);
    if (first.width > 0.0f) width_ = column(points, &SurfacePoint::width);
    if (first.uvWidth > 0.0f) uvWidth_ = column(points, &SurfacePoint::uvWidth);
    if (first.placed) {
        triangle_ = column(points, &SurfacePoint::triangle);
        bary_ = column(points, &SurfacePoint::bary);
        toObject_ = column(points, &SurfacePoint::toObject);
    }
    samples_.with(channel::position, position_).with(channel::normal, normal_).with(channel::uv, uv_);
    samples_.with(channel::id, id_).with(channel::eye, eye_).with(channel::backside, backside_);
    samples_.with(channel::along, along_).with(channel::arriving, arriving_).with(channel::face, face_);
    samples_.with(channel::width, width_).with(channel::uvWidth, uvWidth_);
    samples_.with(channel::triangle, triangle_).with(channel::bary, bary_);
    samples_.with(channel::toObject, toObject_);
}

}  // namespace ovrix::render

#include "geo/points/elements.h"

#include <algorithm>

#include "base/random.h"

namespace ovrix::geo {

GeometryKind kindOf(const Geometry& geometry) { return GeometryKind(geometry.index()); }

std::string kindName(GeometryKind kind) {
    static const char* names[] = {"nothing", "points", "strands", "copies", "mesh", "picture"};
    return names[size_t(kind)];
}

namespace {

struct Count {
    size_t operator()(std::monostate) const { return 0; }
    size_t operator()(const MeshPtr&) const { return 1; }
    template <class T>
    size_t operator()(const std::shared_ptr<T>& set) const {
        return set->size();
    }
};

struct Bytes {
    size_t operator()(std::monostate) const { return 0; }
    size_t operator()(const MeshPtr& m) const { return m->bytes(); }
    size_t operator()(const std::shared_ptr<const PointSet>& p) const { return p->attributes.bytes(); }
    size_t operator()(const std::shared_ptr<const Copies>& c) const { return c->attributes.bytes(); }
    size_t operator()(const std::shared_ptr<const StrandSet>& s) const {
        return s->points.bytes() + s->strands.bytes() + s->start.size() * 4;
    }
};

const AttributeSet* placed(const Geometry& geometry) {
    if (auto* p = std::get_if<std::shared_ptr<const PointSet>>(&geometry)) return &(*p)->attributes;
    if (auto* c = std::get_if<std::shared_ptr<const Copies>>(&geometry)) return &(*c)->attributes;
    if (auto* s = std::get_if<std::shared_ptr<const StrandSet>>(&geometry)) return &(*s)->points;
    if (auto* m = std::get_if<MeshPtr>(&geometry)) return &(*m)->points;
    return nullptr;
}

}  // namespace

const AttributeSet* elementsOf(const Geometry& geometry) {
    if (auto* s = std::get_if<std::shared_ptr<const StrandSet>>(&geometry)) return &(*s)->strands;
    return std::holds_alternative<MeshPtr>(geometry) ? nullptr : placed(geometry);
}

size_t elementCount(const Geometry& geometry) { return std::visit(Count(), geometry); }

Geometry gathered(const Geometry& geometry, std::span<const uint32_t> indices) {
    if (const auto* points = std::get_if<std::shared_ptr<const PointSet>>(&geometry)) {
        auto out = std::make_shared<PointSet>();
        out->attributes = (*points)->attributes.gathered(indices);
        return out;
    }
    if (const auto* copies = std::get_if<std::shared_ptr<const Copies>>(&geometry)) {
        auto out = std::make_shared<Copies>();
        out->prototypes = (*copies)->prototypes;
        out->attributes = (*copies)->attributes.gathered(indices);
        return out;
    }
    if (const auto* strands = std::get_if<std::shared_ptr<const StrandSet>>(&geometry)) {
        const StrandSet& from = **strands;
        auto out = std::make_shared<StrandSet>();
        out->round = from.round;
        out->strands = from.strands.gathered(indices);
        std::vector<uint32_t> points;
        out->start.reserve(indices.size() + 1);
        for (uint32_t s : indices) {
            for (uint32_t p = from.start[s]; p < from.start[s + 1]; ++p) points.push_back(p);
            out->start.push_back(uint32_t(points.size()));
        }
        out->points = from.points.gathered(points);
        return out;
    }
    return geometry;
}

Geometry shareOf(const Geometry& geometry, double share, uint64_t seed) {
    const auto* points = std::get_if<std::shared_ptr<const PointSet>>(&geometry);
    const auto* copies = std::get_if<std::shared_ptr<const Copies>>(&geometry);
    const auto* strands = std::get_if<std::shared_ptr<const StrandSet>>(&geometry);
    const AttributeSet* set = points    ? &(*points)->attributes
                              : copies  ? &(*copies)->attributes
                              : strands ? &(*strands)->strands
                                        : nullptr;
    if (share >= 1.0 || !set || !set->has("id")) return geometry;
    const auto id = set->find<uint64_t>("id");
    std::vector<uint32_t> kept;
    for (size_t i = 0; i < id.size(); ++i)
        if (double(random1(seed, id[i], Stream::Show)) < share) kept.push_back(uint32_t(i));
    return gathered(geometry, kept);
}

size_t bytesOf(const Geometry& geometry) { return std::visit(Bytes(), geometry); }

std::span<const V3f> placesOf(const Geometry& geometry) {
    const AttributeSet* set = placed(geometry);
    return set ? set->find<V3f>("P") : std::span<const V3f>();
}

Box3f boundsOf(const Geometry& geometry) {
    Box3f box;
    for (const V3f& p : placesOf(geometry)) box.extendBy(p);
    return box;
}

std::unordered_map<uint64_t, uint32_t> indexById(std::span<const uint64_t> ids) {
    std::unordered_map<uint64_t, uint32_t> index;
    index.reserve(ids.size());
    for (size_t i = 0; i < ids.size(); ++i) index[ids[i]] = uint32_t(i);
    return index;
}

ElementPlaces::ElementPlaces(const AttributeSet& set)
    : position(set.find<V3f>("P")),
      stretch(set.find<V3f>("stretch")),
      tint(set.find<V3f>("tint")),
      orient(set.find<Quatf>("orient")),
      scale(set.find<float>("scale")),
      color(set.find<Color>("color")) {}

M44f ElementPlaces::matrix(size_t i) const {
    return copyMatrix(position[i], orient.empty() ? Quatf() : orient[i], scale.empty() ? 1.0f : scale[i],
                      stretchOf(i));
}

PackedCopies packedCopies(const Copies& copies, int32_t prototype) {
    const ElementPlaces places(copies.attributes);
    const auto which = copies.attributes.find<int32_t>("prototype");
    PackedCopies out;
    out.shaped = !places.stretch.empty() || !places.tint.empty() || !places.color.empty();
    out.data.reserve(out.stride() * size_t(std::count(which.begin(), which.end(), prototype)));
    for (size_t i = 0; i < which.size(); ++i) {
        if (which[i] != prototype) continue;
        const V3f &p = places.position[i], s = places.stretchOf(i), t = places.tintOf(i);
        const Quatf q = places.orient.empty() ? Quatf() : places.orient[i];
        const float scale = places.scale.empty() ? 1.0f : places.scale[i];
        out.data.insert(out.data.end(), {p.x, p.y, p.z, scale, q.v.x, q.v.y, q.v.z, q.r});
        const Color c = places.colorOf(i);
        if (out.shaped) out.data.insert(out.data.end(), {s.x, s.y, s.z, t.x, t.y, t.z, c.x, c.y, c.z});
    }
    return out;
}

M44f copyMatrix(const V3f& position, const Quatf& orient, float scale, const V3f& stretch) {
    M44f m = orient.toMatrix44();
    for (int row = 0; row < 3; ++row)
        for (int column = 0; column < 3; ++column) m[row][column] *= scale * stretch[row];
    m[3][0] = position.x;
    m[3][1] = position.y;
    m[3][2] = position.z;
    return m;
}

}  // namespace ovrix::geo

#include "geo/elements.h"

namespace ovrix {

GeometryKind kindOf(const Geometry& geometry) { return GeometryKind(geometry.index()); }

std::string kindName(GeometryKind kind) {
    static const char* names[] = {"nothing", "points", "strands", "copies", "mesh"};
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

size_t elementCount(const Geometry& geometry) { return std::visit(Count(), geometry); }
size_t bytesOf(const Geometry& geometry) { return std::visit(Bytes(), geometry); }

Box3f boundsOf(const Geometry& geometry) {
    Box3f box;
    if (const AttributeSet* set = placed(geometry))
        for (const V3f& p : set->find<V3f>("P")) box.extendBy(p);
    return box;
}

std::vector<float> packedCopies(const Copies& copies, int32_t prototype) {
    const auto p = copies.attributes.find<V3f>("P");
    const auto q = copies.attributes.find<Quatf>("orient");
    const auto s = copies.attributes.find<float>("scale");
    const auto which = copies.attributes.find<int32_t>("prototype");
    std::vector<float> data;
    data.reserve(8 * size_t(std::count(which.begin(), which.end(), prototype)));
    for (size_t i = 0; i < which.size(); ++i)
        if (which[i] == prototype)
            data.insert(data.end(), {p[i].x, p[i].y, p[i].z, s[i], q[i].v.x, q[i].v.y, q[i].v.z, q[i].r});
    return data;
}

M44f copyMatrix(const V3f& position, const Quatf& orient, float scale) {
    M44f m = orient.toMatrix44();
    for (int row = 0; row < 3; ++row)
        for (int column = 0; column < 3; ++column) m[row][column] *= scale;
    m[3][0] = position.x;
    m[3][1] = position.y;
    m[3][2] = position.z;
    return m;
}

}  // namespace ovrix

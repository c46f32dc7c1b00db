#include "render/scene/render_scene.h"

#include <embree3/rtcore.h>

#include "base/parallel.h"
#include "geo/points/curve_set.h"
#include "geo/surface/embree_device.h"
#include "render/scene/instance_geometry.h"
#include "render/scene/ray_context.h"
#include "render/scene/time_steps.h"

namespace ovrix::render {

struct RenderScene::Prototype {
    MeshPtr mesh;
    std::span<const V3f> positions,
        normals;  // of points and of corners, looked up once: every hit asks for them
    std::span<const V2f> uvs;
    std::span<const int32_t> slots;
    RTCScene scene = nullptr;
    std::unique_ptr<StrandCurves> curves;  // in place of a mesh; its scene is their own
    Prototype(const StrandsPtr& strands, const ThinLimit& limit, std::vector<StrandsPtr> moves)
        : curves(std::make_unique<StrandCurves>(strands, limit, std::move(moves))) {
        scene = curves->scene();
        rtcRetainScene(scene);
    }
    std::vector<MeshPtr> moves;  // at the shutter's times; empty for one that keeps its shape
    Finer finer;
    Prototype(MeshPtr m, std::vector<MeshPtr> steps, Finer of)
        : mesh(std::move(m)),
          positions(mesh->positions()),
          normals(mesh->normals()),
          uvs(mesh->uvs()),
          slots(mesh->slots()),
          scene(rtcNewScene(embreeDevice())),
          moves(std::move(steps)),
          finer(std::move(of)) {
        rtcSetSceneFlags(scene, RTC_SCENE_FLAG_CONTEXT_FILTER_FUNCTION);  // of rays that meet what is cut out
        RTCGeometry geometry = meshGeometry(*mesh, moves);
        rtcAttachGeometryByID(scene, geometry, 0);
        rtcReleaseGeometry(geometry);
        commitScene(scene);
    }
    ~Prototype() { rtcReleaseScene(scene); }
    V3f positionAt(uint32_t corner, float time) const {
        if (moves.empty()) return positions[mesh->cornerPoint[corner]];
        const auto [k, part] = timeStep(time, moves.size());
        const V3f a = moves[k]->cornerPosition(corner), b = moves[k + 1]->cornerPosition(corner);
        return a + (b - a) * part;
    }
    V3f normalAt(uint32_t corner, float time) const {
        if (moves.empty()) return normals[corner];
        const auto [k, part] = timeStep(time, moves.size());
        const V3f a = moves[k]->normals()[corner], b = moves[k + 1]->normals()[corner];
        return a + (b - a) * part;
    }
};

RenderScene::RenderScene() : top_(rtcNewScene(embreeDevice())) {
    rtcSetSceneFlags(top_, RTC_SCENE_FLAG_CONTEXT_FILTER_FUNCTION);
}
RenderScene::~RenderScene() { rtcReleaseScene(top_); }

uint32_t RenderScene::addMaterial(SurfaceMaterial material) {
    cuts_ = cuts_ || material.cuts();
    clears_ = clears_ || material.clear();
    glows_ = glows_ || material.glows();
    fibres_ = fibres_ || material.fibre;
    blocks_ = blocks_ || material.blocker;
    materials_.push_back(std::move(material));
    return uint32_t(materials_.size() - 1);
}

uint32_t RenderScene::addMesh(const MeshPtr& mesh, const std::vector<MeshPtr>& moves, const Finer& finer) {
    const bool alike =
        moves.size() > 1 && std::all_of(moves.begin(), moves.end(), [&](const MeshPtr& m) {
            return m && m->triangles() == mesh->triangles() && m->cornerPoint == mesh->cornerPoint;
        });
    const auto [it, isNew] = meshIndex_.try_emplace(mesh.get(), uint32_t(meshes_.size()));
    if (isNew)
        meshes_.push_back(std::make_unique<Prototype>(mesh, alike ? moves : std::vector<MeshPtr>(), finer));
    moving_ = moving_ || alike;
    return it->second;
}

uint32_t RenderScene::addStrands(const StrandsPtr& strands, const ThinLimit& limit,
                                 const std::vector<StrandsPtr>& moves) {
    const bool alike = std::all_of(moves.begin(), moves.end(), [&](const StrandsPtr& s) {
        return s && s->start == strands->start && s->points.find<V3f>("P").size() == strands->pointCount();
    });
    moving_ = moving_ || (alike && moves.size() > 1);
    meshes_.push_back(std::make_unique<Prototype>(strands, limit, alike ? moves : std::vector<StrandsPtr>()));
    return uint32_t(meshes_.size() - 1);
}

// What is of the place is known at each hit, better than from the element.
uint32_t RenderScene::addElements(AttributeSet attributes) {
    for (const char* of : {"N", "uv", "id", "triangle", "bary"}) attributes.remove(of);
    auto made = std::make_unique<Elements>(Elements{std::move(attributes), Samples()});
    made->samples = samplesOf(made->attributes);
    elements_.push_back(std::move(made));
    return uint32_t(elements_.size() - 1);
}

const Samples* RenderScene::elementsOf(const Instance& instance) const {
    return instance.elements == kNoElements ? nullptr : &elements_[instance.elements]->samples;
}

uint32_t RenderScene::addMaterialSlots(std::vector<uint32_t> materials) {
    materialSlots_.push_back(std::move(materials));
    return uint32_t(materialSlots_.size() - 1);
}

void RenderScene::addInstance(const Instance& instance, const M44f& matrix) {
    addInstance(instance, std::vector<M44f>{matrix});
}

void RenderScene::addInstance(const Instance& instance, const std::vector<M44f>& matrices) {
    addInstances(
        {&instance, 1}, matrices.size(), [&](size_t, size_t k) { return matrices[k]; }, {}, Progress::none());
}

void RenderScene::addInstances(std::span<const Instance> instances, size_t steps,
                               const std::function<M44f(size_t, size_t)>& matrix, const Colors& colors,
                               Progress& progress) {
    const size_t first = instances_.size();
    moving_ = moving_ || steps > 1;
    instances_.insert(instances_.end(), instances.begin(), instances.end());
    if (colors.tint || !tints_.empty()) tints_.resize(instances_.size(), V3f(0, 1, 1));
    if (colors.factor || !factors_.empty()) factors_.resize(instances_.size(), Color(1.0f));
    for (size_t i = 0; i < instances.size(); ++i) {
        if (colors.tint) tints_[first + i] = colors.tint(i);
        if (colors.factor) factors_[first + i] = colors.factor(i);
    }
    parallelFor(instances.size(), progress, [&](size_t i) {
        RTCGeometry geometry =
            newInstance(meshes_[instances[i].mesh]->scene, steps, [&](size_t k) { return matrix(i, k); });
        rtcAttachGeometryByID(top_, geometry, uint32_t(first + i));
        rtcReleaseGeometry(geometry);
    });
}

void RenderScene::commit(Progress& progress) {
    Progress::Task task(progress, "Building the render");
    // The tree is built in one go; the library asks now and then whether to go on.
    rtcSetSceneProgressMonitorFunction(
        top_, [](void* p, double) { return !static_cast<Progress*>(p)->cancelled(); }, &progress);
    commitScene(top_);
    rtcSetSceneProgressMonitorFunction(top_, nullptr, nullptr);
    progress.check();
    instances_.shrink_to_fit();
}

float SurfaceMaterial::coverAt(FieldsAt& at) const {
    const float w = over ? at.of(overWeight) : 0.0f;
    return w > 0.0f ? std::min(w, 1.0f) : 0.0f;
}

float SurfaceMaterial::opacityAt(FieldsAt& at) const {
    const float own = at.of(opacity), w = coverAt(at);
    return w > 0.0f ? lerp(own, over->opacityAt(at), w) : own;
}

float SurfaceMaterial::bumpAt(FieldsAt& at) const {
    const float own = at.of(bump), w = coverAt(at);
    return w > 0.0f ? lerp(own, over->bumpAt(at), w) : own;
}

Samples samplesAt(const SurfacePoint& p, const SurfaceMaterial& material) {
    Samples s = material.readsElements && p.elements ? p.elements->sub(p.row, 1) : Samples(1);
    s.with(channel::position, {&p.position, 1}).with(channel::normal, {&p.normal, 1});
    s.with(channel::uv, {&p.uv, 1}).with(channel::id, {&p.element, 1});
    static constexpr float kSides[] = {0.0f, 1.0f};
    s.with(channel::eye, {&p.eye, 1}).with(channel::backside, {&kSides[p.backside], 1});
    if (p.strand) s.with(channel::along, {&p.along, 1});
    if (p.arriving >= 0.0f) s.with(channel::arriving, {&p.arriving, 1});
    if (p.face >= 0) s.with(channel::face, {&p.face, 1});
    if (p.width > 0.0f) s.with(channel::width, {&p.width, 1});
    if (p.uvWidth > 0.0f) s.with(channel::uvWidth, {&p.uvWidth, 1});
    if (p.placed) {
        s.with(channel::triangle, {&p.triangle, 1}).with(channel::bary, {&p.bary, 1});
        s.with(channel::toObject, {&p.toObject, 1});
    }
    return s;
}

const Mesh* RenderScene::meshOf(const Instance& instance) const { return meshes_[instance.mesh]->mesh.get(); }

M44f RenderScene::matrixOf(uint32_t instance, float time) const {
    M44f matrix;  // the library's columns are our rows
    rtcGetGeometryTransform(rtcGetGeometry(top_, instance), time, RTC_FORMAT_FLOAT4X4_COLUMN_MAJOR,
                            matrix.getValue());
    return matrix;
}

std::array<V3f, 3> RenderScene::cornersOf(uint32_t instance, uint32_t triangle, float time) const {
    const Prototype& prototype = *meshes_[instances_[instance].mesh];
    const Triangle& t = prototype.mesh->triangles()[triangle];
    return {prototype.positionAt(t[0], time), prototype.positionAt(t[1], time),
            prototype.positionAt(t[2], time)};
}

V3f RenderScene::placeOf(const RayHit& hit, float time) const {
    const M44f matrix = matrixOf(hit.instance, time);
    const Prototype& prototype = *meshes_[instances_[hit.instance].mesh];
    if (prototype.curves) return prototype.curves->placeAt(hit.triangle, hit.u, time).center * matrix;
    const auto corners = cornersOf(hit.instance, hit.triangle, time);
    return (corners[0] * (1.0f - hit.u - hit.v) + corners[1] * hit.u + corners[2] * hit.v) * matrix;
}

uint32_t RenderScene::materialAt(const RayHit& hit) const {
    const Instance& instance = instances_[hit.instance];
    const auto& materials = materialSlots_[instance.materials];
    const Prototype& prototype = *meshes_[instance.mesh];
    if (prototype.curves || prototype.slots.empty() || materials.size() == 1) return materials[0];
    const size_t slot = size_t(prototype.slots[prototype.mesh->triangleFace(hit.triangle)]);
    return materials[std::min(slot, materials.size() - 1)];
}

bool RenderScene::isCut(const RayHit& hit, const Ray& ray) const {
    const SurfaceMaterial& material = materials_[materialAt(hit)];
    if (!material.cuts()) return false;
    if (material.opacity.constant() && !material.over) return material.opacity.high < 0.5f;
    const SurfacePoint p = surfacePoint(hit, ray);
    const Samples one = samplesAt(p, material);
    FieldsAt at(one);
    return material.opacityAt(at) < 0.5f;
}

/// At each hit while some material has holes: the ray goes on through them, and other hits cost no more than
/// a look at their material.
void RayContext::ask(const RTCFilterFunctionNArguments* a) {
    if (a->N != 1 || a->valid[0] != -1) return;
    auto& own = *reinterpret_cast<RayContext*>(a->context);
    if (own.scene->goesThrough(*a, own)) a->valid[0] = 0;
}

bool RenderScene::goesThrough(const RTCFilterFunctionNArguments& a, RayContext& own) const {
    if (!cuts_ && !blocks_ && !own.throughClear) return false;
    RayHit hit;
    hit.distance = RTCRayN_tfar(a.ray, 1, 0);
    hit.u = RTCHitN_u(a.hit, 1, 0), hit.v = RTCHitN_v(a.hit, 1, 0);
    hit.instance = RTCHitN_instID(a.hit, 1, 0, 0), hit.triangle = RTCHitN_primID(a.hit, 1, 0);
    hit.faceNormal = V3f(RTCHitN_Ng_x(a.hit, 1, 0), RTCHitN_Ng_y(a.hit, 1, 0), RTCHitN_Ng_z(a.hit, 1, 0));
    const SurfaceMaterial& material = materials_[materialAt(hit)];
    if (material.blocker) return !own.shadow && !own.toLight;
    if (cuts_ && isCut(hit, own.ray)) return true;
    if (!own.throughClear || !material.clear()) return false;
    own.clear = true;
    return true;
}

RayContext::RayContext(const RenderScene& of, const Ray& r, bool asks) : scene(&of), ray(r) {
    rtcInitIntersectContext(&context);
    if (asks) context.filter = ask;
}

static RTCRay libraryRay(const Ray& ray, float most) {
    return {.org_x = ray.origin.x,
            .org_y = ray.origin.y,
            .org_z = ray.origin.z,
            .tnear = 0.0f,
            .dir_x = ray.direction.x,
            .dir_y = ray.direction.y,
            .dir_z = ray.direction.z,
            .time = ray.time,
            .tfar = most,
            .mask = 0xFFFFFFFFu,
            .id = 0,
            .flags = 0};
}

RayHit RenderScene::intersect(const Ray& ray, bool coherent, float most, bool toLight) const {
    RTCRayHit r{.ray = libraryRay(ray, most), .hit = {}};
    r.hit.geomID = r.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    RayContext own(*this, ray, cuts_ || blocks_);
    own.toLight = toLight;
    if (listener) listener->traced(ray, most, false, top_);
    if (coherent) own.context.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
    rtcIntersect1(top_, &own.context, &r);
    if (r.hit.geomID == RTC_INVALID_GEOMETRY_ID) return {};
    return {r.ray.tfar,      r.hit.u,      r.hit.v,
            r.hit.instID[0], r.hit.primID, V3f(r.hit.Ng_x, r.hit.Ng_y, r.hit.Ng_z)};
}

RayHit RenderScene::intersectOwn(uint32_t instance, const M44f& toOwn, const Ray& ray, float most) const {
    Ray own = ray;  // not of a unit direction there, so that distances stay those of the world
    toOwn.multVecMatrix(ray.origin, own.origin);
    toOwn.multDirMatrix(ray.direction, own.direction);
    if (!isFinite(own.origin) || !isFinite(own.direction)) return {};  // which the library would end on
    RTCRayHit r{.ray = libraryRay(own, most), .hit = {}};
    r.hit.geomID = r.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCScene scene = meshes_[instances_[instance].mesh]->scene;
    if (listener) listener->traced(own, most, false, scene);
    rtcIntersect1(scene, &context, &r);
    if (r.hit.geomID == RTC_INVALID_GEOMETRY_ID) return {};
    return {r.ray.tfar, r.hit.u, r.hit.v, instance, r.hit.primID, V3f(r.hit.Ng_x, r.hit.Ng_y, r.hit.Ng_z)};
}

float RenderScene::passing(const V3f& origin, const V3f& d, float distance, float time, bool* clear) const {
    RTCRay r = libraryRay({origin, d, time}, distance * 0.9999f);
    RayContext own(*this, {origin, d, time}, true);
    own.shadow = true;
    own.throughClear = clear && clears_;
    if (listener) listener->traced({origin, d, time}, distance, true, top_);
    rtcOccluded1(top_, &own.context, &r);
    if (clear) *clear = own.clear;
    return r.tfar < 0.0f ? 0.0f : own.left;
}

namespace {

/// Normals go by the inverse transpose; up to length that is the matrix of cofactors, which also exists
/// where the inverse does not.
V3f normalToWorld(const float* m, const V3f& n) {
    const V3f x(m[0], m[1], m[2]), y(m[4], m[5], m[6]), z(m[8], m[9], m[10]);
    const float turn = x.dot(y.cross(z)) < 0 ? -1.0f : 1.0f;
    return (y.cross(z) * n.x + z.cross(x) * n.y + x.cross(y) * n.z) * turn;
}

V3f unitOr(const V3f& v, const V3f& otherwise) {
    const float length2 = v.dot(v);
    return length2 > 1e-36f && std::isfinite(length2) ? v / std::sqrt(length2) : otherwise;
}

}  // namespace

SurfacePoint RenderScene::strandPoint(const RayHit& hit, const Ray& ray, const StrandCurves& curves,
                                      const float* m) const {
    const Instance& instance = instances_[hit.instance];
    const StrandCurves::Place place = curves.placeAt(hit.triangle, hit.u, ray.time);
    const M44f world(m[0], m[1], m[2], m[3], m[4], m[5], m[6], m[7], m[8], m[9], m[10], m[11], m[12], m[13],
                     m[14], m[15]);
    SurfacePoint p;
    p.eye = -ray.direction;
    p.strand = true;
    p.center = place.center * world;
    world.multDirMatrix(place.tangent, p.tangent);
    p.tangent = unitOr(p.tangent, V3f(0, 1, 0));
    p.radius = place.radius * std::cbrt(std::abs(world.determinant()));
    const V3f back = -ray.direction;
    V3f side, facing = back - p.tangent * back.dot(p.tangent);
    if (facing.dot(facing) > 1e-12f)
        facing.normalize();
    else
        basis(p.tangent, side, facing);
    side = facing.cross(p.tangent);
    const V3f met = ray.origin + ray.direction * hit.distance;
    p.across = std::clamp((met - p.center).dot(side) / std::max(p.radius, 1e-12f), -1.0f, 1.0f);
    p.normal = p.faceNormal =
        side * p.across + facing * std::sqrt(std::max(0.0f, 1.0f - p.across * p.across));
    p.position = p.center + p.normal * p.radius;
    p.round = curves.strands().round;
    if (p.round) {  // where the pieces meet, the tube is not quite that of either
        p.position = met;
        p.normal = unitOr(normalToWorld(m, hit.faceNormal), p.normal);
        if (p.normal.dot(ray.direction) > 0.0f) p.normal = -p.normal;
        p.faceNormal = p.normal;
    }
    p.color = place.color, p.colored = place.colored;
    p.along = place.along;
    p.elements = elementsOf(instance);
    p.row = instance.element == kOwnElement ? place.strand : instance.row;
    p.uv = place.uv;
    p.material = materialSlots_[instance.materials][0];
    p.element = instance.element == kOwnElement ? place.id : instance.element;
    if (!tints_.empty()) p.tint = tints_[hit.instance];
    if (!factors_.empty()) p.factor = factors_[hit.instance];
    p.object = instance.object;
    p.layer = instance.layer;
    return p;
}

/// What only some materials ask for: the way of the texture, and the place on what is worn.
void RenderScene::addFrames(SurfacePoint& p, const RayHit& hit, const Prototype& prototype, const float* m,
                            float time) const {
    const SurfaceMaterial& material = materials_[p.material];
    const auto toWorld = [&](const V3f& v) {
        V3f out;
        for (int k = 0; k < 3; ++k) out[k] = m[k] * v.x + m[4 + k] * v.y + m[8 + k] * v.z;
        return out;
    };
    const bool framed = material.grained() || material.bumps() || material.mapsNormals();
    if (framed || material.readsUvWidth) {
        const Triangle& t = prototype.mesh->triangles()[hit.triangle];
        const V3f first = prototype.positionAt(t[0], time), e1 = prototype.positionAt(t[1], time) - first,
                  e2 = prototype.positionAt(t[2], time) - first;
        V2f d1(1, 0), d2(0, 1);
        const auto uv = prototype.uvs;
        if (!uv.empty()) d1 = uv[t[1]] - uv[t[0]], d2 = uv[t[2]] - uv[t[0]];
        p.edge = {toWorld(e1), toWorld(e2)};
        const float area = p.edge[0].cross(p.edge[1]).length();
        if (!uv.empty() && area > 0.0f) p.uvPerMetre = std::sqrt(std::abs(d1.cross(d2)) / area);
        if (framed && !uv.empty()) p.edgeUv = {d1, d2};
        // The way in which the first texture coordinate grows; any scale does.
        if (framed)
            p.tangent =
                unitOr(toWorld((e1 * d2.y - e2 * d1.y) * (d1.x * d2.y - d2.x * d1.y < 0.0f ? -1.0f : 1.0f)),
                       V3f(0.0f));
    }
    if (!material.onWearer) return;
    p.placed = true;
    p.triangle = int32_t(hit.triangle), p.bary = V2f(hit.u, hit.v);
    if (const auto& cut = prototype.finer.cut) {
        const auto& at = cut->bary[hit.triangle];
        p.triangle = int32_t(cut->triangle[hit.triangle]);
        p.bary = at[0] * (1.0f - hit.u - hit.v) + at[1] * hit.u + at[2] * hit.v;
    }
    M44f world;
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c) world[r][c] = m[4 * r + c];
    if (std::abs(world.determinant()) > 1e-20f) p.toObject = world.inverse();
}

SurfacePoint RenderScene::surfacePoint(const RayHit& hit, const Ray& ray) const {
    const Instance& instance = instances_[hit.instance];
    const Prototype& prototype = *meshes_[instance.mesh];
    float m[16];
    rtcGetGeometryTransform(rtcGetGeometry(top_, hit.instance), ray.time, RTC_FORMAT_FLOAT4X4_COLUMN_MAJOR,
                            m);
    if (prototype.curves) return strandPoint(hit, ray, *prototype.curves, m);
    const Mesh& mesh = *prototype.mesh;
    const Triangle& t = mesh.triangles()[hit.triangle];
    const float w = 1.0f - hit.u - hit.v;
    SurfacePoint p;
    p.eye = -ray.direction;
    const Finer& finer = prototype.finer;
    p.face = int32_t(finer.cut ? finer.of->triangleFace(finer.cut->triangle[hit.triangle])
                               : mesh.triangleFace(hit.triangle));
    // By the weights on the triangle: along a long ray its rounding would be many times as large.
    const auto corner = [&](int k) { return prototype.positionAt(t[size_t(k)], ray.time); };
    const V3f local = corner(0) * w + corner(1) * hit.u + corner(2) * hit.v;
    for (int k = 0; k < 3; ++k) {
        const float x = m[k] * local.x, y = m[4 + k] * local.y, z = m[8 + k] * local.z, place = m[12 + k];
        p.position[k] = x + y + z + place;
        p.rounding =
            std::max(p.rounding, 4e-7f * (std::abs(x) + std::abs(y) + std::abs(z) + std::abs(place)));
    }
    p.faceNormal = unitOr(normalToWorld(m, hit.faceNormal), -ray.direction);
    const auto n = [&](int k) { return prototype.normalAt(t[size_t(k)], ray.time); };
    p.normal = unitOr(normalToWorld(m, n(0) * w + n(1) * hit.u + n(2) * hit.v), p.faceNormal);
    p.backside = p.faceNormal.dot(ray.direction) > 0.0f;
    if (p.backside) p.faceNormal = -p.faceNormal;
    if (p.normal.dot(p.faceNormal) < 0.0f) p.normal = -p.normal;
    if (const auto uv = prototype.uvs; !uv.empty()) p.uv = uv[t[0]] * w + uv[t[1]] * hit.u + uv[t[2]] * hit.v;
    p.material = materialAt(hit);
    p.element = instance.element;
    p.elements = elementsOf(instance), p.row = instance.row;
    if (!tints_.empty()) p.tint = tints_[hit.instance];
    if (!factors_.empty()) p.factor = factors_[hit.instance];
    p.object = instance.object;
    p.layer = instance.layer;
    if (p.material < materials_.size()) addFrames(p, hit, prototype, m, ray.time);
    return p;
}

}  // namespace ovrix::render

#include "ops/mesh/ground.h"

#include <opensubdiv/far/primvarRefiner.h>
#include <opensubdiv/far/topologyDescriptor.h>

#include "base/parallel.h"
#include "geo/mesh/corner_places.h"
#include "geo/mesh/curvature.h"
#include "params/param_table.h"

namespace ovrix::ops {

namespace {

namespace Far = OpenSubdiv::Far;
namespace Sdc = OpenSubdiv::Sdc;

/// A value as the library adds it up.
template <class T>
struct Summed {
    T x = T(0.0f);
    void Clear(void* = nullptr) { x = T(0.0f); }
    void AddWithWeight(const Summed& other, float weight) { x += other.x * weight; }
};

/// UVs told apart where neighbouring corners of a point differ.
struct SplitUvs {
    std::vector<V2f> values;
    std::vector<int> corner;
    explicit SplitUvs(const Mesh& mesh) {
        std::map<std::tuple<uint32_t, float, float>, int> known;
        for (size_t c = 0; c < mesh.uvs().size(); ++c) {
            const V2f& t = mesh.uvs()[c];
            const auto [it, isNew] = known.try_emplace({mesh.cornerPoint[c], t.x, t.y}, int(values.size()));
            if (isNew) values.push_back(t);
            corner.push_back(it->second);
        }
    }
};

std::unique_ptr<Far::TopologyRefiner> refinerOf(const Mesh& mesh, const SplitUvs& uvs) {
    std::vector<int> sizes, points(mesh.cornerPoint.begin(), mesh.cornerPoint.end());
    for (size_t f = 0; f < mesh.faceCount(); ++f)
        sizes.push_back(int(mesh.faceStart[f + 1] - mesh.faceStart[f]));
    Far::TopologyDescriptor d;
    d.numVertices = int(mesh.positions().size());
    d.numFaces = int(mesh.faceCount());
    d.numVertsPerFace = sizes.data();
    d.vertIndicesPerFace = points.data();
    Far::TopologyDescriptor::FVarChannel channel;
    channel.numValues = int(uvs.values.size());
    channel.valueIndices = uvs.corner.data();
    if (!uvs.values.empty()) {
        d.numFVarChannels = 1;
        d.fvarChannels = &channel;
    }
    Sdc::Options options;
    options.SetVtxBoundaryInterpolation(Sdc::Options::VTX_BOUNDARY_EDGE_AND_CORNER);
    options.SetFVarLinearInterpolation(Sdc::Options::FVAR_LINEAR_BOUNDARIES);
    using Factory = Far::TopologyRefinerFactory<Far::TopologyDescriptor>;
    std::unique_ptr<Far::TopologyRefiner> refiner(
        Factory::Create(d, Factory::Options(Sdc::SCHEME_CATMARK, options)));
    if (!refiner)
        throw Error("the mesh cannot be subdivided: its faces do not join", {},
                    "Repair it where it was made, or take the step out");
    return refiner;
}

}  // namespace

MeshPtr subdivided(const Mesh& mesh, int levels) {
    if (mesh.faceCount() == 0) return std::make_shared<const Mesh>(mesh);
    const SplitUvs uvs(mesh);
    const auto refiner = refinerOf(mesh, uvs);
    Far::TopologyRefiner::UniformOptions how(std::clamp(levels, 1, 6));
    how.fullTopologyInLastLevel = true;  // the limit asks for it
    refiner->RefineUniform(how);
    const Far::PrimvarRefiner primvars(*refiner);
    std::vector<Summed<V3f>> points(mesh.positions().size());
    for (size_t i = 0; i < points.size(); ++i) points[i].x = mesh.positions()[i];
    std::vector<Summed<V2f>> texture(uvs.values.size());
    for (size_t i = 0; i < texture.size(); ++i) texture[i].x = uvs.values[i];
    for (int level = 1; level <= refiner->GetMaxLevel(); ++level) {
        std::vector<Summed<V3f>> nextPoints(size_t(refiner->GetLevel(level).GetNumVertices()));
        primvars.Interpolate(level, points.data(), nextPoints);
        points.swap(nextPoints);
        if (texture.empty()) continue;
        std::vector<Summed<V2f>> nextTexture(size_t(refiner->GetLevel(level).GetNumFVarValues(0)));
        auto* from = texture.data();
        auto* to = nextTexture.data();
        primvars.InterpolateFaceVarying(level, from, to, 0);
        texture.swap(nextTexture);
    }
    std::vector<Summed<V3f>> limit(points.size()), du(points.size()), dv(points.size());
    primvars.Limit(points.data(), limit, du, dv);

    auto out = std::make_shared<Mesh>();
    out->slotNames = mesh.slotNames;
    std::vector<V3f> p(limit.size()), normals;
    for (size_t i = 0; i < p.size(); ++i) p[i] = limit[i].x;
    out->points.set("P", std::move(p));
    const Far::TopologyLevel& last = refiner->GetLevel(refiner->GetMaxLevel());
    std::vector<V2f> uv;
    std::vector<int32_t> slots;
    for (int f = 0; f < last.GetNumFaces(); ++f) {
        const Far::ConstIndexArray around = last.GetFaceVertices(f);
        std::vector<uint32_t> face;
        for (int k = 0; k < around.size(); ++k) {
            face.push_back(uint32_t(around[k]));
            const V3f n = du[size_t(around[k])].x.cross(dv[size_t(around[k])].x);
            normals.push_back(n.length() > 0 ? n.normalized() : V3f(0, 1, 0));
        }
        out->addFace(face);
        if (!texture.empty())
            for (int k = 0; k < around.size(); ++k)
                uv.push_back(texture[size_t(last.GetFaceFVarValues(f, 0)[k])].x);
        if (!mesh.slots().empty()) {
            int parent = f;
            for (int level = refiner->GetMaxLevel(); level > 0; --level)
                parent = refiner->GetLevel(level).GetFaceParentFace(parent);
            slots.push_back(mesh.slots()[size_t(parent)]);
        }
    }
    out->corners.set("N", std::move(normals));
    if (!uv.empty()) out->corners.set("uv", std::move(uv));
    if (!slots.empty()) out->faces.set("slot", std::move(slots));
    out->finish();
    return out;
}

namespace {

/// A copy with other points; normals that followed the old ones are made again.
MeshPtr withPoints(const Mesh& mesh, std::vector<V3f> points) {
    auto out = std::make_shared<Mesh>(mesh);
    out->points.remove("P");
    out->points.set("P", std::move(points));
    out->corners.remove("N");
    out->finish();
    return out;
}

}  // namespace

MeshPtr displaced(const MeshPtr& mesh, const Varying& strength, Progress& progress) {
    Progress::Task task(progress, "Displacing");
    const size_t corners = mesh->cornerPoint.size();
    const CornerPlaces places(*mesh);
    const std::vector<float> by = strength.over(samplesOf(*mesh, places), progress);
    // A point takes the mean of its corners, so that it stays one point where UVs or normals are cut.
    const auto p = mesh->positions();
    std::vector<V3f> normal(p.size(), V3f(0.0f));
    std::vector<float> sum(p.size(), 0.0f), count(p.size(), 0.0f);
    for (size_t c = 0; c < corners; ++c) {
        const uint32_t i = mesh->cornerPoint[c];
        normal[i] += mesh->normals()[c];
        sum[i] += by[c], count[i] += 1.0f;
    }
    std::vector<V3f> moved(p.begin(), p.end());
    for (size_t i = 0; i < moved.size(); ++i)
        if (count[i] > 0.0f && normal[i].length() > 0.0f)
            moved[i] += normal[i].normalized() * (sum[i] / count[i]);
    return withPoints(*mesh, std::move(moved));
}

MeshPtr smoothed(const Mesh& mesh, int rounds, float strength) {
    std::vector<std::pair<uint32_t, uint32_t>> edges;
    for (size_t f = 0; f < mesh.faceCount(); ++f)
        for (uint32_t c = mesh.faceStart[f], end = mesh.faceStart[f + 1]; c < end; ++c) {
            const uint32_t a = mesh.cornerPoint[c],
                           b = mesh.cornerPoint[c + 1 < end ? c + 1 : mesh.faceStart[f]];
            edges.emplace_back(std::min(a, b), std::max(a, b));
        }
    std::sort(edges.begin(), edges.end());
    const std::vector<uint8_t> open = openPoints(mesh);  // a border stays where it is
    edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
    std::vector<V3f> p(mesh.positions().begin(), mesh.positions().end()), sum(p.size());
    std::vector<float> count(p.size());
    const float in = std::clamp(strength, 0.0f, 1.0f);
    for (int half = 0; half < 2 * rounds; ++half) {
        const float by = half % 2 ? -in * 1.06f : in;  // Taubin's ratio keeps the volume
        std::fill(sum.begin(), sum.end(), V3f(0.0f));
        std::fill(count.begin(), count.end(), 0.0f);
        for (const auto& [a, b] : edges) {
            sum[a] += p[b], sum[b] += p[a];
            count[a] += 1.0f, count[b] += 1.0f;
        }
        for (size_t i = 0; i < p.size(); ++i)
            if (count[i] > 0.0f && !open[i]) p[i] += (sum[i] / count[i] - p[i]) * by;
    }
    return withPoints(mesh, std::move(p));
}

namespace {

ParamSpec displaceBy() {
    return specs::drivable(specs::number("by", "By", 0.05, "m", -1e4, 1e4, -0.5, 0.5,
                                         "Along the normal; below 0 inwards. A field says where"));
}

const struct SubdivideParams : ParamTable {
    Handle<int64_t> levels =
        add(specs::whole("levels", "Levels", 1, 1, 6, 1, 4, "Each one makes four faces of one"));
} kSubdivide;

const struct DisplaceParams : ParamTable { Handle<Varying> by = add(displaceBy()); } kDisplace;

const struct SmoothParams : ParamTable {
    Handle<int64_t> rounds = add(specs::whole("rounds", "Rounds", 5, 0, 1000, 0, 50, "How often"));
    Handle<double> strength = add(specs::unitNumber("strength", "Strength", 0.5, "How far each round goes"));
} kSmooth;

StepType meshStep(std::string id, std::string title, std::string help, const ParamTable& params,
                  std::function<Geometry(const StepInput&)> apply) {
    return {.id = std::move(id),
            .title = std::move(title),
            .phase = Phase::Shape,
            .help = std::move(help),
            .takes = GeometryKind::Mesh,
            .gives = GeometryKind::Mesh,
            .params = params.specs(),
            .apply = std::move(apply)};
}

const MeshPtr& meshIn(const StepInput& in) { return std::get<MeshPtr>(in.in); }

Geometry applySubdivide(const StepInput& in) {
    const int levels = int(in.params[kSubdivide.levels]);
    const double faces = double(meshIn(in)->cornerPoint.size()) * std::pow(4.0, levels - 1);
    requireMemory(faces * 250.0, in.memoryLimit, faces);
    return subdivided(*meshIn(in), levels);
}

Geometry applyDisplace(const StepInput& in) {
    return displaced(meshIn(in), in.params[kDisplace.by], in.progress);
}

Geometry applySmooth(const StepInput& in) {
    return smoothed(*meshIn(in), int(in.params[kSmooth.rounds]), float(in.params[kSmooth.strength]));
}

}  // namespace

StepType subdivideStep() {
    return meshStep("subdivide", "Subdivide", "Rounds the mesh and gives it finer faces", kSubdivide,
                    applySubdivide);
}

StepType displaceStep() {
    return meshStep("displace", "Displace", "Moves the surface along its normals, by a number or a field",
                    kDisplace, applyDisplace);
}

/// Displacing by a painted field which is neutral where nothing is painted: Add pulls, Take pushes.
StepType pushStep() {
    StepType type =
        meshStep("push", "Push and pull",
                 "Moves the surface where a brush goes over it: Add pulls it out, Take pushes it in",
                 kDisplace, applyDisplace);
    FieldSource painted = makeSource("paint");
    painted.params["base"].value = 0.5;
    Param& by = type.start[kDisplace.by.id()];
    by.value = 0.1;
    by.low = -0.1;
    by.field = std::make_shared<const Field>(Field{{painted}});
    return type;
}

StepType smoothStep() {
    return meshStep("smooth", "Smooth", "Takes roughness off without shrinking the whole", kSmooth,
                    applySmooth);
}

}  // namespace ovrix::ops

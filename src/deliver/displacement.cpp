#include "deliver/displacement.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/hash.h"
#include "base/parallel.h"
#include "ops/step.h"

namespace ovrix::deliver {

namespace {

constexpr float kCrease = 75.0f;          // degrees: edges that are as sharp stay so
constexpr double kBytesOfTriangle = 380;  // measured, with its part of the ray tracer's tree

/// The slot's material of each triangle of the first mesh.
class SlotMaterials {
  public:
    explicit SlotMaterials(const DisplacementInput& in)
        : in_(in), slots_(in.materials.size() > 1 ? in.mesh->slots() : std::span<const int32_t>()) {}
    const SurfaceMaterial* of(uint32_t triangle) const {
        if (slots_.empty()) return in_.materials.front();
        const auto slot = size_t(std::max(0, slots_[in_.mesh->triangleFace(triangle)]));
        return in_.materials[std::min(slot, in_.materials.size() - 1)];
    }

  private:
    const DisplacementInput& in_;
    std::span<const int32_t> slots_;
};

template <class T>
T mixed(const Triangle& t, std::span<const T> values, const V2f& bary) {
    return values[t[0]] * (1.0f - bary.x - bary.y) + values[t[1]] * bary.x + values[t[2]] * bary.y;
}

/// Asks the materials at corners of the fine mesh.
class Heights {
  public:
    Heights(const DisplacementInput& in, const Tessellation& cut, std::span<const V3f> positions)
        : in_(in),
          cut_(cut),
          positions_(positions),
          normals_(in.mesh->normals()),
          uvs_(in.mesh->uvs()),
          materials_(in),
          forNormals_(in.matrix.inverse().transposed()) {
        if (std::abs(in.matrix.determinant()) > 1e-20f) toObject_ = in.matrix.inverse();
    }
    V2f uvAt(size_t triangle, size_t corner) const {
        return uvs_.empty() ? V2f(0.0f) : mixed(first(triangle), uvs_, cut_.bary[triangle][corner]);
    }
    const SurfaceMaterial* materialAt(size_t triangle) const {
        return materials_.of(cut_.triangle[triangle]);
    }
    float at(size_t triangle, size_t corner) const {
        const SurfaceMaterial* m = materialAt(triangle);
        if (!m || !m->displaces()) return 0.0f;
        SurfacePoint p;
        in_.matrix.multVecMatrix(positions_[cut_.corners[triangle][corner]], p.position);
        p.bary = cut_.bary[triangle][corner];
        V3f normal;
        forNormals_.multDirMatrix(mixed(first(triangle), normals_, p.bary), normal);
        p.normal = p.faceNormal = normal.length() > 0.0f ? normal.normalized() : V3f(0, 1, 0);
        p.uv = uvAt(triangle, corner);
        p.triangle = int32_t(cut_.triangle[triangle]);
        p.face = int32_t(in_.mesh->triangleFace(cut_.triangle[triangle]));
        p.placed = m->onWearer, p.toObject = toObject_;
        const Samples one = samplesAt(p, *m);
        FieldsAt fields(one);
        const float height = m->bumpAt(fields), most = m->mostRelief();
        return std::isfinite(height) ? std::clamp(height, -most, most) : 0.0f;
    }

  private:
    const Triangle& first(size_t triangle) const { return in_.mesh->triangles()[cut_.triangle[triangle]]; }
    const DisplacementInput& in_;
    const Tessellation& cut_;
    std::span<const V3f> positions_, normals_;
    std::span<const V2f> uvs_;
    SlotMaterials materials_;
    M44f forNormals_, toObject_;
};

/// Of each point. It is asked once, and again where another UV or material meets it: then it is the mean.
std::vector<float> heightsOf(const Tessellation& cut, const Heights& heights, Progress& progress) {
    std::vector<uint32_t> first(cut.pointCount(), UINT32_MAX);  // corners
    std::vector<uint32_t> asked;
    for (uint32_t c = 0; c < 3 * cut.corners.size(); ++c) {
        uint32_t& known = first[cut.corners[c / 3][c % 3]];
        if (known == UINT32_MAX)
            known = c;
        else if (heights.materialAt(c / 3) == heights.materialAt(known / 3) &&
                 (heights.uvAt(c / 3, c % 3) - heights.uvAt(known / 3, known % 3)).length() < 1e-6f)
            continue;
        asked.push_back(c);
    }
    std::vector<float> by(asked.size());
    parallelFor(asked.size(), progress, [&](size_t i) { by[i] = heights.at(asked[i] / 3, asked[i] % 3); });
    std::vector<float> sum(cut.pointCount(), 0.0f), count(cut.pointCount(), 0.0f);
    for (size_t i = 0; i < asked.size(); ++i) {
        const uint32_t point = cut.corners[asked[i] / 3][asked[i] % 3];
        sum[point] += by[i], count[point] += 1.0f;
    }
    for (size_t i = 0; i < sum.size(); ++i) sum[i] /= std::max(1.0f, count[i]);
    return sum;
}

/// Which ways points move: sums of the normals around them.
std::vector<V3f> directionsOf(const Mesh& mesh, const Tessellation& cut) {
    const auto normals = mesh.normals();
    std::vector<V3f> sum(cut.pointCount(), V3f(0.0f));
    for (size_t t = 0; t < cut.corners.size(); ++t)
        for (size_t k = 0; k < 3; ++k)
            sum[cut.corners[t][k]] +=
                mixed(mesh.triangles()[cut.triangle[t]], normals, cut.bary[t][k]).normalized();
    return sum;
}

/// The fine mesh without its points.
std::shared_ptr<Mesh> finerMesh(const DisplacementInput& in, const Tessellation& cut) {
    auto out = std::make_shared<Mesh>();
    out->slotNames = in.mesh->slotNames;
    out->cornerPoint.reserve(3 * cut.corners.size());
    out->faceStart.reserve(cut.corners.size() + 1);
    for (const auto& corners : cut.corners) out->addFace(corners);
    const auto uvs = in.mesh->uvs();
    if (!uvs.empty()) {
        std::vector<V2f> uv;
        uv.reserve(3 * cut.corners.size());
        for (size_t t = 0; t < cut.corners.size(); ++t)
            for (size_t k = 0; k < 3; ++k)
                uv.push_back(mixed(in.mesh->triangles()[cut.triangle[t]], uvs, cut.bary[t][k]));
        out->corners.set("uv", std::move(uv));
    }
    out->corners.resize(out->cornerPoint.size()), out->faces.resize(out->faceCount());
    if (const auto slots = in.mesh->slots(); !slots.empty()) {
        std::vector<int32_t> slot;
        for (const uint32_t t : cut.triangle) slot.push_back(slots[in.mesh->triangleFace(t)]);
        out->faces.set("slot", std::move(slot));
    }
    return out;
}

/// With points that stand out from those of a mesh.
MeshPtr standingOut(const Mesh& finer, const Mesh& from, const Tessellation& cut,
                    const std::vector<float>& heights) {
    auto out = std::make_shared<Mesh>(finer);
    std::vector<V3f> points = cut.positions(from.positions());
    const std::vector<V3f> ways = directionsOf(from, cut);
    parallelFor(points.size(), Progress::none(), [&](size_t i) {
        if (const float length = ways[i].length(); length > 0.0f)
            points[i] += ways[i] * (heights[i] / length);
    });
    out->points.set("P", std::move(points));
    computeNormals(*out, kCrease);
    out->finish();
    return out;
}

/// World metres by those of the mesh itself.
float scaleOf(const M44f& matrix) {
    const float scale = std::cbrt(std::abs(matrix.determinant()));
    return scale > 1e-6f && std::isfinite(scale) ? scale : 1.0f;
}

}  // namespace

bool isDisplaced(const DisplacementInput& in) {
    return in.mesh && !in.mesh->triangles().empty() &&
           std::any_of(in.materials.begin(), in.materials.end(),
                       [](const SurfaceMaterial* m) { return m && m->displaces(); });
}

/// How finely it is cut, in its own metres.
static float edgeOf(const DisplacementInput& in) {
    float detail = std::numeric_limits<float>::infinity();
    for (const SurfaceMaterial* m : in.materials)
        if (m && m->displaces()) detail = std::min(detail, m->detail);
    return detail / scaleOf(in.matrix);
}

static double bytesOf(const DisplacementInput& in, size_t triangles) {
    return kBytesOfTriangle * double(triangles) * double(1 + in.moves.size());
}

/// @param taken  bytes of the others
static std::shared_ptr<const Tessellation> cutOf(const DisplacementInput& in, double taken,
                                                 Progress& progress) {
    const auto require = [&](size_t triangles) {
        const double bytes = bytesOf(in, triangles) + taken;
        if (bytes > double(in.memoryLimit))
            throw Error(
                fmt::format("the relief of {} takes {} or more, with that of others, over the limit of {}",
                            in.name, byteText(bytes), byteText(double(in.memoryLimit))),
                {}, "Make the detail of its relief longer, or raise the memory limit");
    };
    require(in.mesh->triangles().size());
    return std::make_shared<const Tessellation>(tessellate(*in.mesh, edgeOf(in), require, progress));
}

/// In the mesh's own metres.
static std::vector<float> heightsOf(const DisplacementInput& in, const Tessellation& cut,
                                    Progress& progress) {
    const std::vector<V3f> positions = cut.positions(in.mesh->positions());
    std::vector<float> heights = heightsOf(cut, Heights(in, cut, positions), progress);
    for (float& h : heights) h /= scaleOf(in.matrix);
    return heights;
}

static Displaced madeOf(const DisplacementInput& in, const std::shared_ptr<const Tessellation>& cut,
                        const std::vector<float>& heights, Progress& progress) {
    const auto finer = finerMesh(in, *cut);
    Displaced out{standingOut(*finer, *in.mesh, *cut, heights), {}, {in.mesh, cut}, 0};
    const auto p = out.mesh->positions();
    out.stamp =
        Hasher().add(std::string_view(reinterpret_cast<const char*>(p.data()), p.size_bytes())).value();
    for (const MeshPtr& move : in.moves) {
        progress.check();
        const bool alike = move && move->triangles() == in.mesh->triangles() &&
                           move->cornerPoint == in.mesh->cornerPoint &&
                           move->positions().size() == in.mesh->positions().size();
        if (!alike) {
            out.moves.clear();
            break;
        }
        out.moves.push_back(standingOut(*finer, *move, *cut, heights));
    }
    return out;
}

void Displacements::begin() {
    ++round_;
    std::erase_if(kept_, [&](const auto& k) { return k->asked + 2 < round_; });
    bytes_ = 0;
}

/// What is kept of it, the same if there is, and else what may be made anew of it.
Displacements::Kept& Displacements::slotFor(const DisplacementInput& in, uint64_t key) {
    const auto of = [&](const Kept& k) { return k.mesh == in.mesh && k.moves == in.moves; };
    for (const bool same : {true, false})
        for (const auto& k : kept_)
            if (of(*k) && (same ? k->key == key && k->made.mesh : k->asked != round_)) return *k;
    kept_.push_back(std::make_unique<Kept>(Kept{in.mesh, in.moves}));
    return *kept_.back();
}

/// A colour that is edited leaves the heights as they are: then the mesh stays, and all that is built on it.
const Displaced& Displacements::of(const DisplacementInput& in, uint64_t key, Progress& progress) {
    Progress::Task task(progress, "Displacing");
    Kept& k = slotFor(in, key);
    const float edge = edgeOf(in);
    if (!k.made.mesh || k.key != key || k.edge != edge) {
        const auto cut = k.made.mesh && k.edge == edge ? k.made.finer.cut : cutOf(in, bytes_, progress);
        std::vector<float> heights = heightsOf(in, *cut, progress);
        if (cut != k.made.finer.cut || heights != k.heights) {
            k.made = {};  // before the other: both would take twice the room
            k.made = madeOf(in, cut, heights, progress);
        }
        k.heights = std::move(heights), k.key = key, k.edge = edge;
    }
    if (k.asked != round_) bytes_ += bytesOf(in, k.made.mesh->triangles().size());
    k.asked = round_;
    return k.made;
}

void Displacements::end() {
    std::erase_if(kept_, [&](const auto& k) { return k->asked != round_; });
}

}  // namespace ovrix::deliver

#include "base/hash.h"
#include "field/sources.h"
#include "geo/surface/surface.h"
#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

const struct OcclusionParams : ParamTable {
    Handle<double> reach =
        add(number("reach", "Distance", 0.3, "m", 1e-6, 1e6, 0.01, 2, "How near things must be to shelter"));
    Handle<int64_t> rays = add(whole("rays", "Rays", 32, 1, 4096, 8, 128,
                                     "Directions asked from each place; more is smoother and slower"));
    Handle<std::string> side = add(choice("side", "Side", "outside", {"outside", "inside"},
                                          "Inside asks beneath the surface: 1 where it is thin"));
    Handle<Refs> objects = add(refs("objects", "Occluders", "object or layer", "Other things that occlude"));
} kOcclusion;

/// The share of the cosine-weighted sky over a place that is shut off within a distance. The rays of a place
/// are a rank-1 lattice, shifted by a hash of the position so that neighbours do not err alike.
struct Shelter : SourceKernel {
    SurfacePtr own;  ///< in the space of channel::toObject
    std::vector<SurfacePtr> shelters;
    float reach = 1.0f, offset = 1e-4f;
    int rays = 32;
    float turned = 1.0f;  ///< -1 to ask within

    void evaluate(const Samples& s, std::span<float> out) const override {
        const auto p = s.get(channel::position), n = s.get(channel::normal);
        const auto toObject = s.get(channel::toObject);
        for (size_t i = 0; i < out.size(); ++i)
            out[i] = n.empty() ? 0.0f : at(p[i], n[i] * turned, toObject.empty() ? nullptr : &toObject[i]);
    }
    bool ownBlocks(const V3f& origin, const V3f& direction, const M44f* toObject) const {
        if (!toObject) return own->blocked(origin, direction, reach);
        V3f d;
        toObject->multDirMatrix(direction, d);
        const float length = d.length();
        return length > 0 && own->blocked(origin * *toObject, d / length, reach * length);
    }
    float at(const V3f& position, const V3f& normal, const M44f* toObject) const {
        if (!isFinite(position) || !isFinite(normal)) return 0.0f;
        const V3f side = (std::abs(normal.x) > 0.7f ? V3f(0, 1, 0) : V3f(1, 0, 0)).cross(normal).normalized();
        const V3f across = normal.cross(side);
        const V3f origin = position + normal * offset;
        const uint64_t h =
            Hasher().add(double(position.x)).add(double(position.y)).add(double(position.z)).value();
        const float shiftU = float(h >> 40) * 0x1p-24f, shiftV = float(h & 0xFFFFFFu) * 0x1p-24f;
        int shut = 0;
        for (int k = 0; k < rays; ++k) {
            float u = (float(k) + 0.5f) / float(rays) + shiftU, v = float(k) * 0.61803399f + shiftV;
            u -= std::floor(u), v -= std::floor(v);
            const float r = std::sqrt(u), angle = 2.0f * kPi * v;
            const V3f d = side * (r * std::cos(angle)) + across * (r * std::sin(angle)) +
                          normal * std::sqrt(std::max(0.0f, 1.0f - u));
            const auto blocks = [&](const SurfacePtr& shelter) { return shelter->blocked(origin, d, reach); };
            shut += ownBlocks(origin, d, toObject) || std::any_of(shelters.begin(), shelters.end(), blocks);
        }
        return float(shut) / float(rays);
    }
};

}  // namespace

SourceType occlusionSource() {
    return {.id = "occlusion",
            .title = "Occlusion",
            .help = "How sheltered a place is: 0 under the open sky, 1 where everything around is near",
            .params = kOcclusion.specs(),
            .compile = [](const ResolvedParams& p, const FieldContext& context) {
                auto kernel = std::make_unique<Shelter>();
                surfaceFor(context, "shelter");  // or says that there is none
                kernel->own = context.surface;
                for (const std::string& id : p[kOcclusion.objects])
                    if (!id.empty())
                        kernel->shelters.push_back(sceneQueryFor(context, "shelter").surface(id));
                kernel->reach = float(p[kOcclusion.reach]);
                kernel->rays = int(p[kOcclusion.rays]);
                kernel->turned = p[kOcclusion.side] == "inside" ? -1.0f : 1.0f;
                const Box3f& box = context.surface->mesh().bounds();
                kernel->offset = 1e-5f * std::max(1e-3f, (box.max - box.min).length());
                return kernel;
            }};
}

}  // namespace ovrix::field

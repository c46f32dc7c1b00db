#include "base/error.h"
#include "base/file_sequence.h"
#include "base/image.h"
#include "field/sources.h"
#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

enum class Lay { Uv, Planar, Box, Camera };

ParamSpec repeat(const char* id, const char* title, const char* help) {
    return number(id, title, 1, "", -1e4, 1e4, 0, 10, help);
}

ParamSpec tiled(ParamSpec spec) {
    spec.refKind = "tiled";
    return spec;
}

const struct ImageParams : ParamTable {
    Handle<std::string> file = add(tiled(specs::file("file", "File", "The image")));
    Handle<Lay> projection = add(choice("projection", "Projection", "uv", {"uv", "planar", "box", "camera"},
                                        "By the surface's UVs, from one side, from all six sides, or from a "
                                        "camera, whose picture it fills"));
    Handle<std::string> camera = add(shownIf(ref("camera", "Camera", "camera",
                                                 "It is thrown onto all that this one sees, through "
                                                 "what stands before it; nothing is beside its picture"),
                                             "projection=camera"));
    Handle<std::string> axis =
        add(shownIf(choice("axis", "Along", "Y", {"X", "Y", "Z"},
                           "The surface's own axis that the picture is looked at along"),
                    "projection=planar"));
    Handle<double> size = add(shownIf(number("size", "Size", 1, "m", 1e-6, 1e6, 0.05, 5,
                                             "Width of the picture where it is not laid by UVs"),
                                      "projection=planar|box"));
    Handle<std::string> space = add(choice("space", "Colour space", "sRGB", colorSpaceNames(),
                                           "The space that the file's numbers are in"));
    Handle<std::string> channel =
        add(choice("channel", "Channel", "brightness", {"brightness", "red", "green", "blue", "alpha"},
                   "What drives a number"));
    Handle<double> repeatU = add(repeat("repeat_u", "Repeat U", "How often it lies along U"));
    Handle<double> repeatV = add(repeat("repeat_v", "Repeat V", "How often it lies along V"));
} kImage;

struct Picture : SourceKernel {
    std::shared_ptr<const Texture> image;                ///< null where it is in tiles
    std::vector<std::shared_ptr<const Texture>> byTile;  ///< from 1001 on; null where there is none
    float repeatU, repeatV, size;
    std::string channel;
    Lay lay = Lay::Uv;
    int axis = 1;  // planar: looked at along X, Y or Z
    M44f toLocal;
    M44f toPicture;         // of a camera
    float perMetre = 0.0f;  // parts of its picture that a metre before it is

    /// Places on the picture for one sample, with weights that add up to 1.
    struct Projections {
        std::array<V2f, 3> uv{V2f(0.0f), V2f(0.0f), V2f(0.0f)};
        std::array<float, 3> weight{};
        float width = 0.0f;  ///< of what is seen there, as a part of the picture
    };
    struct Columns {
        std::span<const V3f> position, normal;
        std::span<const V2f> uv;
        std::span<const M44f> toObject;
        std::span<const float> width, uvWidth;
        explicit Columns(const Samples& s)
            : position(s.get(channel::position)),
              normal(s.get(channel::normal)),
              uv(s.get(channel::uv)),
              toObject(s.get(channel::toObject)),
              width(s.get(channel::width)),
              uvWidth(s.get(channel::uvWidth)) {}
    };
    Projections projectionsAt(const Columns& s, size_t i) const {
        Projections projections;
        if (lay == Lay::Uv) {
            if (s.uv.empty()) return projections;
            projections.uv[0] = V2f(s.uv[i].x * repeatU, s.uv[i].y * repeatV);
            projections.weight[0] = 1.0f;
            if (!s.uvWidth.empty())
                projections.width = s.uvWidth[i] * std::max(std::abs(repeatU), std::abs(repeatV));
            return projections;
        }
        if (lay == Lay::Camera) return projectedAt(s, i);
        const M44f& local = s.toObject.empty() ? toLocal : s.toObject[i];
        const V3f p = s.position[i] * local / size;
        for (int a = 0; a < 3; ++a) projections.uv[size_t(a)] = seenAlong(p, a);
        if (!s.width.empty())
            projections.width = s.width[i] / size * std::max(std::abs(repeatU), std::abs(repeatV)) *
                                std::cbrt(std::abs(local.determinant()));
        if (lay == Lay::Planar) {
            projections.weight[size_t(axis)] = 1.0f;
            return projections;
        }
        V3f n(0, 1, 0);
        if (!s.normal.empty()) local.multDirMatrix(s.normal[i], n);
        float sum = 0.0f;  // sides pass into each other over a narrow band
        for (int a = 0; a < 3; ++a) sum += projections.weight[size_t(a)] = std::pow(std::abs(n[a]), 8.0f);
        if (!(sum > 0.0f)) return projections.weight = {0, 1, 0}, projections;
        for (float& w : projections.weight) w /= sum;
        return projections;
    }
    Projections projectedAt(const Columns& s, size_t i) const {
        Projections projections;
        const V3f& p = s.position[i];
        const auto along = [&](int c) {
            return p.x * toPicture[0][c] + p.y * toPicture[1][c] + p.z * toPicture[2][c] + toPicture[3][c];
        };
        const float w = along(3), u = along(0) / w, v = along(1) / w;
        if (!(w > 0.0f) || !(u >= 0.0f && u <= 1.0f && v >= 0.0f && v <= 1.0f)) return projections;
        projections.weight[0] = 1.0f;
        if (!s.width.empty())
            projections.width = s.width[i] / w * perMetre * std::max(std::abs(repeatU), std::abs(repeatV));
        // A picture that is thrown once shows nothing of its other side at its rim.
        const bool once = repeatU == 1.0f && repeatV == 1.0f;
        projections.uv[0] =
            once ? image->within(V2f(u, v), projections.width) : V2f(u * repeatU, v * repeatV);
        return projections;
    }
    V2f seenAlong(const V3f& p, int a) const {
        const V2f uv = a == 0 ? V2f(-p.z, p.y) : a == 1 ? V2f(p.x, -p.z) : V2f(p.x, p.y);
        return V2f(uv.x * repeatU + 0.5f, uv.y * repeatV + 0.5f);
    }
    const Texture* tileAt(float column, float row) const {
        constexpr float kColumns = 10, kRows = 900;
        if (!(column >= 0 && column < kColumns && row >= 0 && row < kRows)) return nullptr;
        const size_t tile = size_t(column) + size_t(kColumns) * size_t(row);
        return tile < byTile.size() ? byTile[tile].get() : nullptr;
    }
    /// The image that lies there, with the place on it; none where a tile is missing. A border between two
    /// belongs to the next, and to the last where there is no next.
    const Texture* imageAt(V2f& uv, float width) const {
        if (image) return image.get();
        const V2f next(std::floor(uv.x), std::floor(uv.y)), last(std::ceil(uv.x) - 1, std::ceil(uv.y) - 1);
        for (const V2f& at : {next, V2f(last.x, next.y), V2f(next.x, last.y), last}) {
            const Texture* there = tileAt(at.x, at.y);
            if (!there) continue;
            uv = there->within(uv - at, width);
            return there;
        }
        return nullptr;
    }
    Texel texelAt(V2f uv, float width) const {
        const Texture* there = imageAt(uv, width);
        return there ? there->at(uv, width) : kMissingTexel;
    }
    float pick(const V2f& uv, float width) const {
        const Texel there = texelAt(uv, width);
        if (channel == "alpha") return there.alpha;
        if (channel == "red") return there.color.x;
        if (channel == "green") return there.color.y;
        if (channel == "blue") return there.color.z;
        return luminance(there.color);
    }
    template <class T, class Read>
    void mix(const Samples& s, std::span<T> out, const Read& read) const {
        const Columns columns(s);
        for (size_t i = 0; i < out.size(); ++i) {
            const Projections projections = projectionsAt(columns, i);
            out[i] = T(0.0f);
            for (size_t a = 0; a < 3; ++a)
                if (projections.weight[a] > 0.0f)
                    out[i] += read(projections.uv[a], projections.width) * projections.weight[a];
        }
    }
    void evaluate(const Samples& s, std::span<float> out) const override {
        mix(s, out, [&](const V2f& uv, float width) { return pick(uv, width); });
    }
    bool colored() const override { return true; }
    bool readsUvWidth() const override { return lay == Lay::Uv; }
    void evaluateColor(const Samples& s, std::span<V3f> out) const override {
        mix(s, out, [&](const V2f& uv, float width) { return V3f(texelAt(uv, width).color); });
    }
};

void projectFrom(const std::string& camera, const FieldContext& context, Picture& kernel) {
    if (camera.empty()) throw Error("the image source has no camera", {}, "Choose one to project from");
    kernel.toPicture = sceneQueryFor(context, "the image source").projection(camera);
    const M44f& m = kernel.toPicture;
    // What moves u and not w: across the line of sight.
    const V3f u(m[0][0], m[1][0], m[2][0]), forward(m[0][3], m[1][3], m[2][3]);
    kernel.perMetre = (u - forward * u.dot(forward)).length();
}

std::unique_ptr<SourceKernel> compilePicture(const ResolvedParams& p, const FieldContext& context) {
    const std::string& file = p[kImage.file];
    const Lay lay = p[kImage.projection];
    if (file.empty()) throw Error("the image source has no file", {}, "Choose an image");
    if (lay == Lay::Uv && !context.hasUvs)
        throw Error("the surface has no UVs for the image source", {},
                    "Set how it is laid to box, or give the mesh UVs");
    if (!context.images) throw Error("images cannot be read here", file);
    auto kernel = std::make_unique<Picture>();
    if (isTiled(file)) {
        if (lay != Lay::Uv)
            throw Error("an image in tiles is laid by UVs alone", file, "Set its projection to uv");
        for (auto& [tile, there] : context.images->tiles(file, p[kImage.space])) {
            kernel->byTile.resize(size_t(tile - kFirstTile) + 1);
            kernel->byTile.back() = there;
        }
    } else {
        kernel->image = context.images->texture(file, p[kImage.space]);
    }
    kernel->repeatU = float(p[kImage.repeatU]);
    kernel->repeatV = float(p[kImage.repeatV]);
    kernel->channel = p[kImage.channel];
    kernel->lay = lay;
    kernel->size = float(p[kImage.size]);
    kernel->axis = p[kImage.axis] == "X" ? 0 : p[kImage.axis] == "Z" ? 2 : 1;
    kernel->toLocal = context.objectFromWorld;
    if (lay == Lay::Camera) projectFrom(p[kImage.camera], context, *kernel);
    return kernel;
}

}  // namespace

SourceType imageSource() {
    return {.id = "image",
            .title = "Image",
            .help = "A picture laid on the surface: its brightness drives numbers, its colour drives colours",
            .params = kImage.specs(),
            .compile = compilePicture,
            .image = kImage.file.id()};
}

}  // namespace ovrix::field

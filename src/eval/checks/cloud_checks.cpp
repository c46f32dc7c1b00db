#include "eval/checks/cloud_checks.h"

#include <fmt/format.h>

#include <set>

#include "document/edits/edits.h"
#include "document/lights/common.h"
#include "document/materials/cloud_material.h"
#include "document/model/values.h"
#include "eval/camera_options.h"
#include "geo/points/point_measure.h"
#include "ops/place/fill_volume.h"

namespace ovrix::eval {

namespace {

/// As many of the points as tell how they lie.
std::vector<V3f> sampleOf(std::span<const V3f> points) {
    constexpr size_t kEnough = 60000;
    const size_t step = std::max<size_t>(1, points.size() / kEnough);
    std::vector<V3f> out;
    for (size_t i = 0; i < points.size(); i += step) out.push_back(points[i]);
    return out;
}

/// Fractions of the points that the picture has, and of the picture that has points.
struct InPicture {
    double points = 1.0, picture = 0.0;
};
InPicture inPicture(std::span<const V3f> points, const render::CameraOptions& options, float aspect) {
    constexpr int kAcross = 64, kDown = 36;
    const render::Camera camera(options, aspect);
    std::set<std::pair<int, int>> cells;
    size_t inside = 0;
    for (const V3f& p : points) {
        const auto at = camera.project(p, 1.0f);
        if (!at || !(at->x >= 0.0f && at->x < 1.0f && at->y >= 0.0f && at->y < 1.0f)) continue;
        ++inside;
        cells.emplace(int(at->x * kAcross), int(at->y * kDown));
    }
    if (points.empty()) return {};
    return {double(inside) / double(points.size()), double(cells.size()) / double(kAcross * kDown)};
}

class CloudFinder {
  public:
    CloudFinder(const SceneContext& scene, const Node& layer, const LayerResult& result, double frame)
        : document_(scene.document), layer_(layer), result_(result), frame_(frame) {}

    std::vector<Check> run() {
        const auto places = placesOf(result_.geometry);
        const std::vector<V3f> some = sampleOf(places);
        measure_ = measured(some);
        left_ =
            size_t(std::count_if(places.begin(), places.end(), [](const V3f& p) { return !isFinite(p); }));
        thickness_ = measure_.thickness();
        checkLight();
        checkMaterial();
        checkPicture(some);
        checkRows();
        return std::move(found_);
    }

  private:
    void add(Severity severity, std::string text, const std::string& node, std::string fixTitle = {},
             std::function<Document(const Document&)> fix = {}, const std::string& step = {}) {
        found_.push_back({severity, layer_.name + ": " + std::move(text), node, step, std::move(fixTitle),
                          std::move(fix), nullptr});
    }

    const Node* material() const {
        const Node* node = document_.find(document_.value(layer_.id, kLayer.material, frame_));
        return node && node->category() == Category::Material ? node : nullptr;
    }

    bool emits() const {
        const Node* m = material();
        const NodeType* type = m ? findNodeType(m->type) : nullptr;
        return type && type->shines && type->shines(document_, *m, frame_);
    }

    void checkLight() {
        for (const NodePtr& light : document_.nodes(Category::Light)) {
            if (!light->rendered) continue;
            const NodeType* type = findNodeType(light->type);
            if (type && type->problem && !type->problem(paramsOf(document_, *light, frame_)).empty())
                continue;
            if (mayLight(document_, *light, layer_.id, frame_)) lit_.push_back(light->name);
        }
        if (!lit_.empty() || emits()) return;
        add(Severity::Error, "no light reaches its points, and they give none, so they are black", layer_.id,
            "Add a sky", [](const Document& d) {
                Document out = d;
                out.put(makeNode(out, "sky"));
                return out;
            });
    }

    void checkMaterial() {
        const Node* m = material();
        const NodeType* type = m ? findNodeType(m->type) : nullptr;
        if (!type || !type->forPoints) {
            if (!type || !type->forStrands) offerMaterial();
            return;
        }
        const CloudThickness t = cloudThickness(document_, *m, frame_);
        checkDensity(*m, t);
        checkTint(*m, t);
        constexpr double kApart = 20.0;
        if (t.toLight > kApart || t.toLight < 1.0 / kApart)
            add(Severity::Note,
                fmt::format("it is {:.3g} times as thick to light as to the eye, so it is lit {}", t.toLight,
                            t.toLight > 1.0 ? "at its skin alone" : "as if it were not there"),
                m->id, "Make them alike", [id = m->id](const Document& d) {
                    return withValue(d, {id, "", kCloudParted}, false);
                });
    }

    void offerMaterial() {
        add(Severity::Note,
            "its points wear no cloud material, so that they are drawn as dust which fits them", layer_.id,
            "Give it one",
            [id = layer_.id, density = kFittingDepth / std::max(thickness_, 1e-9),
             frame = frame_](const Document& d) {
                Document out = d;
                Node made = makeNode(out, "cloud");
                const std::string material = made.id;
                out.put(std::move(made));
                out = withCloudDensity(out, material, density, frame);
                return withValue(out, {id, "", kLayer.material.id()}, material);
            });
    }

    void checkDensity(const Node& m, const CloudThickness& t) {
        constexpr double kNothing = 0.03, kWall = 60.0;
        depth_ = t.density * thickness_;
        if (thickness_ <= 0.0 || (depth_ >= kNothing && depth_ <= kWall)) return;
        const double density = kFittingDepth / thickness_;
        add(Severity::Warning,
            fmt::format("its density of {:.3g} {} over the {} that its matter is thick: {:.3g} would fit",
                        t.density, depth_ < kNothing ? "cannot be seen" : "makes a wall", metres(thickness_),
                        density),
            m.id, "Fit density", [id = m.id, density, frame = frame_](const Document& d) {
                return withCloudDensity(d, id, density, frame);
            });
    }

    void checkTint(const Node& m, const CloudThickness& t) {
        constexpr double kSeen = 30.0;
        if (!t.tints || thickness_ <= 0.0) return;
        const bool thin = t.tintDepth > kSeen * thickness_, gone = t.tintDepth * t.density > kSeen;
        if (!thin && !gone) return;
        const double fit = std::min(thickness_, gone ? kFittingDepth / t.density : thickness_);
        add(Severity::Warning,
            thin ? fmt::format("light would have its tint after {}, and it is only {} thick",
                               metres(t.tintDepth), metres(thickness_))
                 : fmt::format("light would have its tint after {}, and its density leaves none so far",
                               metres(t.tintDepth)),
            m.id, "Fit tint depth", [id = m.id, fit](const Document& d) {
                return withValue(d, {id, "", kCloudTintDepth}, fit);
            });
    }

    void checkPicture(std::span<const V3f> some) {
        const auto camera = sceneCamera(document_, frame_);
        if (some.empty()) return;
        const InPicture in =
            camera ? inPicture(some, *camera, pictureAspect(document_, frame_)) : InPicture();
        if (in.points <= 0.0) add(Severity::Warning, "all its points lie outside of the picture", layer_.id);
        const double count = double(result_.made) / std::max(result_.part, 1e-12);
        std::string text = fmt::format("about {} points", countText(count));
        if (left_ > 0) text += fmt::format(", {} of those without a place left out", left_);
        if (in.points < 0.995) text += fmt::format(", {:.0f} % of them in the picture", 100.0 * in.points);
        text += lit_.empty() ? std::string(", lit by nothing")
                             : fmt::format(", lit by {}", fmt::join(lit_, ", "));
        if (in.points > 0.0)
            text += fmt::format(", over {:.0f} % of the picture", std::max(1.0, 100.0 * in.picture));
        if (depth_ > 0.0)
            text += fmt::format("; optical depth {:.2g} through {}", depth_, metres(thickness_));
        add(Severity::Note, text, material() ? material()->id : layer_.id);
        found_.back().cloud = std::make_shared<CloudSummary>(
            CloudSummary{layer_.id, material() ? material()->id : "", count, thickness_, depth_});
    }

    /// Points of a lattice stand behind one another, and rows show.
    void checkRows() {
        for (const Step& s : recipeOwner(document_, layer_).steps)
            if (s.on && fillsInRows(s.type, s.params))
                add(
                    Severity::Note, "its points stand in rows, which may show", layer_.id, "Jitter them",
                    [layer = layer_.id, step = s.id](const Document& d) {
                        return withValue(d, {recipeOwner(d, d.get(layer)).id, step, kFillPattern},
                                         std::string(kFillJittered));
                    },
                    s.id);
    }

    static std::string metres(double m) {
        return m < 0.01  ? fmt::format("{:.2g} mm", m * 1e3)
               : m < 1.0 ? fmt::format("{:.2g} cm", m * 1e2)
                         : fmt::format("{:.3g} m", m);
    }
    static std::string countText(double n) {
        return n < 1e4   ? fmt::format("{:.0f}", n)
               : n < 1e6 ? fmt::format("{:.0f} thousand", n * 1e-3)
                         : fmt::format("{:.1f} million", n * 1e-6);
    }

    const Document& document_;
    const Node& layer_;
    const LayerResult& result_;
    double frame_, thickness_ = 0.0, depth_ = 0.0;
    size_t left_ = 0;
    PointMeasure measure_;
    std::vector<std::string> lit_;
    std::vector<Check> found_;
};

}  // namespace

Document withCloudDensity(const Document& document, const std::string& material, double density,
                          double frame) {
    const Node& node = document.get(material);
    const double now = cloudThickness(document, node, frame).density;
    Param p = paramOr(*findSpec(specsOf(node), kCloudDensity), node.params);
    p.keys = {};
    const double factor = now > 0.0 ? density / now : 0.0;
    if (auto* low = std::get_if<double>(&p.low); low && p.field) *low *= factor;
    const auto* high = std::get_if<double>(&p.value);
    p.value = p.field && high && factor > 0.0 ? *high * factor : density;
    return withParam(document, {material, "", kCloudDensity}, p);
}

std::vector<Check> cloudChecks(const SceneContext& scene, const Node& layer, const LayerResult& result,
                               double frame) {
    return CloudFinder(scene, layer, result, frame).run();
}

}  // namespace ovrix::eval

#include "document/model/motion.h"

#include <set>

#include "base/noise.h"
#include "geo/points/curve_set.h"
#include "geo/strands/strands.h"

namespace ovrix::document {

namespace {

constexpr int kDeepest = 8;

/// Smooth random numbers from about -1 to 1 over time, one for each @p line.
float wanderAt(double seconds, double rate, uint32_t seed, int line) {
    const V3f p(float(std::fmod(seconds * rate, 1e6)), 0.37f + 7.31f * float(line), 0.61f);
    return fractalNoise(p, seed, {2, 0.5f, 2.0f, NoiseKind::Soft}) * 2.0f;
}

M44f wandering(const Document& document, const Node& node, double frame) {
    const WanderParams& p = kObject.object.transform.wander;
    const auto number = [&](const Handle<double>& h) { return document.value(node.id, h, frame); };
    const double seconds = frame / document.rate(), rate = number(p.rate);
    const auto seed = uint32_t(document.value(node.id, p.seed, frame));
    const auto at = [&](int line) { return wanderAt(seconds, rate, seed, line); };
    const float move = float(number(p.move)), turn = float(number(p.turn));
    const float size = std::max(0.01f, 1.0f + float(number(p.size)) * at(6));
    return transformMatrix(move * V3f(at(0), at(1), at(2)), turn * V3f(at(3), at(4), at(5)), V3f(size));
}

M44f alongPath(const Document& document, const Node& node, const std::string& path, double frame, int depth) {
    const std::vector<V3f> line = curveLine(document, path, frame, depth + 1);
    if (line.size() < 2) return M44f();
    std::vector<float> t(line.size());
    alongOf(line, t);
    const float at = float(document.value(node.id, kObject.object.transform.path.at, frame));
    M44f m;
    if (document.value(node.id, kObject.object.transform.path.turn, frame)) {
        const V3f ahead = placeAlong(line, t, std::min(1.0f, at + 0.005f)) -
                          placeAlong(line, t, std::max(0.0f, at - 0.005f));
        if (ahead.length() > 0.0f) {
            const V3f z = ahead.normalized();
            V3f x = V3f(0, 1, 0).cross(z);
            x = x.length() > 1e-4f ? x.normalized() : V3f(1, 0, 0);
            m = turnFromAxes(x, z.cross(x), z).toMatrix44();
        }
    }
    const V3f p = placeAlong(line, t, at);
    m[3][0] = p.x, m[3][1] = p.y, m[3][2] = p.z;
    return m;
}

}  // namespace

M44f ownMatrix(const Document& document, const Node& node, double frame, int depth) {
    const TransformParams& p = kObject.object.transform;
    const auto v = [&](const Handle<V3f>& h) { return V3f(document.value(node.id, h, frame)); };
    M44f m = transformMatrix(v(p.placement.position), v(p.placement.rotation), v(p.placement.scale));
    if (document.value(node.id, p.wander.on, frame)) m = wandering(document, node, frame) * m;
    if (!findSpec(specsOf(node), p.path.path.id())) return m;
    const std::string path = document.value(node.id, p.path.path, frame);
    const Node* curve = path.empty() ? nullptr : document.find(path);
    if (!curve || curve->category() != Category::Curve || depth > kDeepest) return m;
    return m * alongPath(document, node, path, frame, depth);
}

}  // namespace ovrix::document

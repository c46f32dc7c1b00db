#include "geo/strands/strands.h"

#include "base/parallel.h"

namespace ovrix::geo {

Quatf turnFromAxes(const V3f& x, const V3f& y, const V3f& z) {
    // The largest of the four squares first, so that nothing is divided by a small number.
    const float trace = x.x + y.y + z.z;
    if (trace > 0.0f) {
        const float s = std::sqrt(trace + 1.0f) * 2.0f;
        return Quatf(0.25f * s, V3f(y.z - z.y, z.x - x.z, x.y - y.x) / s);
    }
    if (x.x > y.y && x.x > z.z) {
        const float s = std::sqrt(1.0f + x.x - y.y - z.z) * 2.0f;
        return Quatf((y.z - z.y) / s, V3f(0.25f * s, (y.x + x.y) / s, (z.x + x.z) / s));
    }
    if (y.y > z.z) {
        const float s = std::sqrt(1.0f + y.y - x.x - z.z) * 2.0f;
        return Quatf((z.x - x.z) / s, V3f((y.x + x.y) / s, 0.25f * s, (z.y + y.z) / s));
    }
    const float s = std::sqrt(1.0f + z.z - x.x - y.y) * 2.0f;
    return Quatf((x.y - y.x) / s, V3f((z.x + x.z) / s, (z.y + y.z) / s, 0.25f * s));
}

Quatf rootFrame(const V3f& normal, const V3f& edge) {
    V3f x = edge - normal * edge.dot(normal), other;
    const float length = x.length();
    if (length > 1e-12f)
        x /= length;
    else
        basis(normal, x, other);
    return turnFromAxes(x, normal, x.cross(normal));
}

V3f edgeOf(const Mesh& mesh, uint32_t triangle) {
    if (triangle >= mesh.triangles().size()) return V3f(1, 0, 0);
    const Triangle& t = mesh.triangles()[triangle];
    return mesh.cornerPosition(t[1]) - mesh.cornerPosition(t[0]);
}

Quatf turnBetween(const V3f& from, const V3f& to) {
    const float d = from.dot(to);
    if (d < -0.99999f) {
        V3f a, b;
        basis(from, a, b);
        return Quatf(0.0f, a);
    }
    return Quatf(1.0f + d, from.cross(to)).normalized();
}

float lengthOf(std::span<const V3f> p) {
    float sum = 0.0f;
    for (size_t i = 1; i < p.size(); ++i) sum += (p[i] - p[i - 1]).length();
    return sum;
}

void alongOf(std::span<const V3f> p, std::span<float> t) {
    if (p.empty()) return;
    t[0] = 0.0f;
    for (size_t i = 1; i < p.size(); ++i) t[i] = t[i - 1] + (p[i] - p[i - 1]).length();
    const float total = t[p.size() - 1];
    if (total > 0.0f)
        for (size_t i = 0; i < p.size(); ++i) t[i] /= total;
    else
        for (size_t i = 1; i < p.size(); ++i) t[i] = float(i) / float(p.size() - 1);
}

V3f placeAlong(std::span<const V3f> p, std::span<const float> t, float at) {
    if (at <= 0.0f) return p.front();
    if (at >= 1.0f) return p.back();
    const size_t i =
        size_t(std::upper_bound(t.begin(), t.begin() + std::ptrdiff_t(p.size()), at) - t.begin());
    if (i >= p.size()) return p.back();
    const float span = t[i] - t[i - 1];
    return p[i - 1] + (p[i] - p[i - 1]) * (span > 0.0f ? (at - t[i - 1]) / span : 0.0f);
}

void tangentsOf(std::span<const V3f> p, std::span<V3f> tangents) {
    V3f last(0, 1, 0);
    for (size_t i = 0; i < p.size(); ++i) {
        const V3f d = p[std::min(i + 1, p.size() - 1)] - p[i > 0 ? i - 1 : 0];
        const float length = d.length();
        if (length > 1e-20f) last = d / length;
        tangents[i] = last;
    }
}

void transportNormals(std::span<const V3f> p, std::span<const V3f> tangents, const V3f& first,
                      std::span<V3f> normals) {
    if (p.empty()) return;
    V3f n = first - tangents[0] * first.dot(tangents[0]), other;
    if (n.length() > 1e-6f)
        n.normalize();
    else
        basis(tangents[0], n, other);
    normals[0] = n;
    for (size_t i = 1; i < p.size(); ++i) {
        const V3f v = p[i] - p[i - 1];
        const float c = v.dot(v);
        if (!(c > 0.0f)) {
            normals[i] = normals[i - 1];
            continue;
        }
        const V3f reflected = normals[i - 1] - v * (2.0f / c * v.dot(normals[i - 1]));
        const V3f tangent = tangents[i - 1] - v * (2.0f / c * v.dot(tangents[i - 1]));
        const V3f w = tangents[i] - tangent;
        const float d = w.dot(w);
        n = d > 1e-20f ? reflected - w * (2.0f / d * w.dot(reflected)) : reflected;
        n -= tangents[i] * n.dot(tangents[i]);
        const float length = n.length();
        normals[i] = length > 1e-6f ? n / length : normals[i - 1];
    }
}

namespace {

template <class T>
bool mixColumn(const Column& from, AttributeSet& to, const std::string& name,
               const std::vector<uint32_t>& first, const std::vector<float>& part) {
    const auto* values = std::get_if<std::vector<T>>(&from);
    if (!values) return false;
    std::vector<T> out(first.size());
    for (size_t i = 0; i < out.size(); ++i) {
        const T &a = (*values)[first[i]], &b = (*values)[first[i] + (part[i] > 0.0f ? 1 : 0)];
        out[i] = T(a + (b - a) * part[i]);
    }
    to.set(name, std::move(out));
    return true;
}

}  // namespace

StrandsPtr resampled(const StrandSet& in, size_t count, Progress& progress) {
    count = std::max<size_t>(count, 2);
    auto out = std::make_shared<StrandSet>();
    out->round = in.round;
    out->strands = in.strands;
    out->start.resize(in.size() + 1);
    for (size_t s = 0; s <= in.size(); ++s) out->start[s] = uint32_t(s * count);
    std::vector<uint32_t> first(in.size() * count);  // the point before each new one, and the part on from it
    std::vector<float> part(first.size());
    const auto p = in.points.find<V3f>("P");
    parallelRanges(in.size(), 256, progress, [&](size_t begin, size_t end) {
        std::vector<float> t;
        for (size_t s = begin; s < end; ++s) {
            const auto line = pointsOf(in, p, s);
            t.resize(line.size());
            alongOf(line, t);
            size_t k = 0;
            for (size_t i = 0; i < count; ++i) {
                const float at = float(i) / float(count - 1);
                while (k + 2 < line.size() && t[k + 1] <= at) ++k;
                const float span = t[k + 1] - t[k];
                first[s * count + i] = uint32_t(in.start[s] + k);
                part[s * count + i] = span > 0.0f ? std::clamp((at - t[k]) / span, 0.0f, 1.0f) : 0.0f;
            }
        }
    });
    for (const auto& [name, column] : in.points.columns())
        mixColumn<V3f>(*column, out->points, name, first, part) ||
            mixColumn<float>(*column, out->points, name, first, part) ||
            mixColumn<Color>(*column, out->points, name, first, part) ||
            mixColumn<V2f>(*column, out->points, name, first, part);
    return out;
}

StrandsPtr withoutBroken(StrandsPtr strands, size_t* dropped) {
    const auto p = strands->points.find<V3f>("P");
    std::vector<uint8_t> whole(strands->size());
    parallelFor(whole.size(), Progress::none(), [&](size_t s) {
        const auto line = pointsOf(*strands, p, s);
        bool finite = line.size() >= 2;
        for (const V3f& v : line) finite = finite && isFinite(v);
        whole[s] = finite && lengthOf(line) > 0.0f;
    });
    std::vector<uint32_t> kept;
    for (size_t s = 0; s < whole.size(); ++s)
        if (whole[s]) kept.push_back(uint32_t(s));
    if (dropped) *dropped = whole.size() - kept.size();
    if (kept.size() == whole.size()) return strands;
    return std::get<StrandsPtr>(gathered(strands, kept));
}

StrandsPtr transformed(const StrandSet& in, const M44f& m) {
    auto out = std::make_shared<StrandSet>(in);
    for (V3f& p : out->points.add<V3f>("P")) p = p * m;
    for (V3f& p : out->strands.add<V3f>("P")) p = p * m;
    const float size = std::cbrt(std::abs(m.determinant()));
    if (out->points.has("width"))
        for (float& w : out->points.add<float>("width")) w *= size;
    return out;
}

MeshPtr tubesOf(const StrandSet& set, int sides, float width) {
    sides = std::max(3, sides);
    Mesh mesh;
    const auto p = set.points.find<V3f>("P");
    const auto widths = set.points.find<float>("width");
    const auto orient = set.strands.find<Quatf>("orient");
    std::vector<V3f> positions;
    std::vector<V2f> uvs;
    positions.reserve(p.size() * size_t(sides));
    std::vector<V3f> tangents, normals;
    std::vector<float> t;
    const auto corner = [&](uint32_t point, float u, float v) {
        mesh.cornerPoint.push_back(point);
        uvs.push_back(V2f(u, v));
    };
    for (size_t s = 0; s < set.size(); ++s) {
        const auto line = pointsOf(set, p, s);
        const uint32_t base = uint32_t(positions.size());
        tangents.resize(line.size()), normals.resize(line.size()), t.resize(line.size());
        tangentsOf(line, tangents);
        transportNormals(line, tangents, orient.empty() ? V3f(1, 0, 0) : rotate(orient[s], V3f(1, 0, 0)),
                         normals);
        alongOf(line, t);
        for (size_t i = 0; i < line.size(); ++i) {
            const V3f side = tangents[i].cross(normals[i]);
            const float r = 0.5f * (widths.empty() ? width : widths[set.start[s] + i]);
            for (int k = 0; k < sides; ++k) {
                const float a = 2.0f * kPi * float(k) / float(sides);
                positions.push_back(line[i] + (normals[i] * std::cos(a) + side * std::sin(a)) * r);
            }
        }
        const auto at = [&](size_t i, int k) {
            return base + uint32_t(i) * uint32_t(sides) + uint32_t(k % sides);
        };
        const auto u = [&](int k) { return float(k) / float(sides); };
        for (size_t i = 0; i + 1 < line.size(); ++i)
            for (int k = 0; k < sides; ++k) {
                corner(at(i, k), u(k), t[i]);
                corner(at(i, k + 1), u(k + 1), t[i]);
                corner(at(i + 1, k + 1), u(k + 1), t[i + 1]);
                corner(at(i + 1, k), u(k), t[i + 1]);
                mesh.faceStart.push_back(uint32_t(mesh.cornerPoint.size()));
            }
        for (int k = sides; k-- > 0;) corner(at(0, k), u(k), 0.0f);
        mesh.faceStart.push_back(uint32_t(mesh.cornerPoint.size()));
        for (int k = 0; k < sides; ++k) corner(at(line.size() - 1, k), u(k), 1.0f);
        mesh.faceStart.push_back(uint32_t(mesh.cornerPoint.size()));
    }
    mesh.points.set("P", std::move(positions));
    mesh.corners.set("uv", std::move(uvs));
    mesh.finish();
    return std::make_shared<const Mesh>(std::move(mesh));
}

}  // namespace ovrix::geo

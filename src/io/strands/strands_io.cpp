#include "io/strands/strands_io.h"

#include <fmt/format.h>

#include "base/files.h"
#include "io/points/ply_points.h"
#include "io/usd/usd_text.h"
#include "io/volume/vdb_points.h"

namespace ovrix::io {

namespace {

constexpr const char* kAgain = "Write the file again from where it came";

/// The points with the id of their strand and their place along it.
AttributeSet flattened(const StrandSet& set) {
    AttributeSet out = set.points;
    const auto ids = set.strands.find<uint64_t>("id");
    auto id = out.add<uint64_t>("id");
    auto point = out.add<int32_t>("point");
    for (size_t s = 0; s < set.size(); ++s)
        for (size_t i = set.start[s]; i < set.start[s + 1]; ++i) {
            id[i] = ids[s];
            point[i] = int32_t(i - set.start[s]);
        }
    return out;
}

/// Strands of points in the order given; columns of points come along.
StrandSet strandsOf(const AttributeSet& points, const std::vector<uint32_t>& order,
                    std::vector<uint32_t> start, std::vector<uint64_t> ids) {
    StrandSet set;
    set.points = points.gathered(order);
    set.points.remove("id");
    set.points.remove("point");
    set.start = std::move(start);
    set.strands.set("id", std::move(ids));
    return set;
}

/// Files of points know vectors, not colors.
void colorFromVectors(AttributeSet& points) {
    const auto v = points.find<V3f>("color");
    if (v.empty()) return;
    std::vector<Color> color(v.begin(), v.end());
    points.set("color", std::move(color));
}

/// Roots as the first points; two strands of one id get ids by their order.
void finish(StrandSet& set, const std::string& name) {
    if (set.size() == 0)
        throw Error("holds no strands", name, "Export curves, lines or points with strand ids");
    colorFromVectors(set.points);
    const auto p = set.points.find<V3f>("P");
    for (const V3f& v : p)
        if (!isFinite(v)) throw Error("has a place that is no number", name, kAgain);
    auto root = set.strands.add<V3f>("P");
    for (size_t s = 0; s < set.size(); ++s) root[s] = p[set.start[s]];
    auto id = set.strands.add<uint64_t>("id");
    std::vector<uint64_t> sorted(id.begin(), id.end());
    std::sort(sorted.begin(), sorted.end());
    if (std::adjacent_find(sorted.begin(), sorted.end()) != sorted.end())
        for (size_t s = 0; s < id.size(); ++s) id[s] = s;
}

// USD ------------------------------------------------------------------------------------------------------

std::string usdOf(const StrandSet& set) {
    const std::string in = "    ";
    std::string out = kUsdHeader;
    out +=
        "def BasisCurves \"strands\"\n{\n    uniform token type = \"linear\"\n"
        "    uniform token wrap = \"nonperiodic\"\n";
    std::vector<uint32_t> counts(set.size());
    for (size_t s = 0; s < counts.size(); ++s) counts[s] = set.pointsOf(s);
    putUsdArray<uint32_t>(out, in, "int[] curveVertexCounts", counts);
    putUsdArray<V3f>(out, in, "point3f[] points", set.points.find<V3f>("P"));
    if (const auto v = set.points.find<V3f>("v"); !v.empty())
        putUsdArray<V3f>(out, in, "vector3f[] velocities", v);
    if (const auto a = set.points.find<V3f>("acceleration"); !a.empty())
        putUsdArray<V3f>(out, in, "vector3f[] accelerations", a);
    if (const auto w = set.points.find<float>("width"); !w.empty())
        putUsdArray<float>(out, in, "float[] widths", w, "vertex");
    if (const auto c = set.points.find<Color>("color"); !c.empty())
        putUsdArray<Color>(out, in, "color3f[] primvars:displayColor", c, "vertex");
    putUsdArray<uint64_t>(out, in, "int64[] primvars:id", set.strands.find<uint64_t>("id"), "uniform");
    if (const auto uv = set.strands.find<V2f>("uv"); !uv.empty())
        putUsdArray<V2f>(out, in, "texCoord2f[] primvars:st", uv, "uniform");
    return out + "}\n";
}

void addUsdCurves(StrandSet& set, std::vector<V3f>& p, std::vector<float>& width, std::vector<Color>& color,
                  std::vector<uint64_t>& id, std::string_view text, const std::string& name) {
    const auto counts = usdNumbers<int64_t>(text, "int[] curveVertexCounts");
    const auto points = usdVectors(text, "point3f[] points");
    size_t sum = 0;
    for (size_t s = 0; s < counts.size() && sum <= points.size(); ++s) {
        if (counts[s] < 2)
            throw Error(fmt::format("curve {} has {} points; a strand needs two", s + 1, counts[s]), name,
                        kAgain);
        sum += size_t(counts[s]);
    }
    if (sum != points.size())
        throw Error(fmt::format("its curves count {} points and it holds {}", sum, points.size()), name,
                    kAgain);
    auto widths = usdNumbers<float>(text, "float[] widths");
    if (widths.size() == 1) widths.assign(sum, widths[0]);
    if (widths.size() == counts.size() && sum != counts.size()) {
        std::vector<float> each;
        for (size_t s = 0; s < counts.size(); ++s) each.insert(each.end(), size_t(counts[s]), widths[s]);
        widths = std::move(each);
    }
    const auto colors = usdVectors(text, "color3f[] primvars:displayColor");
    const auto ids = usdNumbers<uint64_t>(text, "int64[] primvars:id");
    for (size_t s = 0; s < counts.size(); ++s) {
        set.start.push_back(set.start.back() + uint32_t(counts[s]));
        id.push_back(ids.size() == counts.size() ? ids[s] : set.size() - 1);
    }
    p.insert(p.end(), points.begin(), points.end());
    if (widths.size() == sum) width.insert(width.end(), widths.begin(), widths.end());
    if (colors.size() == sum) color.insert(color.end(), colors.begin(), colors.end());
}

StrandSet fromUsd(const std::filesystem::path& path) {
    const std::string text = readUsdText(path);
    StrandSet set;
    std::vector<V3f> p;
    std::vector<float> width;
    std::vector<Color> color;
    std::vector<uint64_t> id;
    const std::string head = "def BasisCurves";
    for (size_t at = text.find(head); at != std::string::npos;) {
        const size_t next = text.find("\ndef ", at + 1);
        addUsdCurves(set, p, width, color, id, std::string_view(text).substr(at, next - at), path.string());
        at = text.find(head, at + 1);
    }
    const size_t count = p.size();
    set.points.set("P", std::move(p));
    if (width.size() == count) set.points.set("width", std::move(width));
    if (color.size() == count) set.points.set("color", std::move(color));
    set.strands.set("id", std::move(id));
    return set;
}

// PLY ------------------------------------------------------------------------------------------------------

StrandSet fromPly(const std::filesystem::path& path) {
    PlyLines file = readPlyLines(path);
    const size_t count = file.points.size();
    std::vector<uint32_t> next(count, UINT32_MAX), before(count, UINT32_MAX);
    for (const auto& [a, b] : file.edges) {
        if (a >= count || b >= count)
            throw Error(fmt::format("has an edge to point {} of {}", std::max(a, b) + 1, count),
                        path.string(), kAgain);
        if (a == b || next[a] != UINT32_MAX || before[b] != UINT32_MAX)
            throw Error(fmt::format("has lines that branch at point {}", a + 1), path.string(),
                        "Strands are lines without branches, root first");
        next[a] = b, before[b] = a;
    }
    std::vector<uint32_t> order, start = {0};
    std::vector<uint64_t> ids;
    const auto id = file.points.find<uint64_t>("id");
    for (uint32_t root = 0; root < count; ++root) {
        if (before[root] != UINT32_MAX || next[root] == UINT32_MAX) continue;
        ids.push_back(id.empty() ? ids.size() : id[root]);
        for (uint32_t i = root; i != UINT32_MAX; i = next[i]) order.push_back(i);
        start.push_back(uint32_t(order.size()));
    }
    return strandsOf(file.points, order, std::move(start), std::move(ids));
}

// OpenVDB --------------------------------------------------------------------------------------------------

StrandSet fromVdb(const std::filesystem::path& path) {
    const PointSet points = readVdbPoints(path);
    const auto id = points.attributes.find<uint64_t>("id");
    const auto point = points.attributes.find<float>("point");
    if (id.empty() || point.empty())
        throw Error("holds points without strands", path.string(),
                    "Strands need \"id\" and \"point\" of each point");
    std::vector<uint32_t> order(id.size());
    for (size_t i = 0; i < order.size(); ++i) order[i] = uint32_t(i);
    std::sort(order.begin(), order.end(), [&](uint32_t a, uint32_t b) {
        return id[a] != id[b] ? id[a] < id[b] : point[a] != point[b] ? point[a] < point[b] : a < b;
    });
    std::vector<uint32_t> start = {0};
    std::vector<uint64_t> ids;
    for (size_t i = 0; i < order.size(); ++i) {
        if (i + 1 < order.size() && id[order[i + 1]] == id[order[i]]) continue;
        const size_t count = i + 1 - start.back();
        if (count < 2 || point[order[start.back()]] != 0.0f || point[order[i]] != float(count - 1))
            throw Error(fmt::format("has strand {} with {} points that are not numbered from 0 on",
                                    id[order[i]], count),
                        path.string(), kAgain);
        ids.push_back(id[order[i]]);
        start.push_back(uint32_t(i + 1));
    }
    return strandsOf(points.attributes, order, std::move(start), std::move(ids));
}

StrandSet finished(StrandSet set, const std::filesystem::path& path) {
    finish(set, path.string());
    return set;
}

}  // namespace

void writeUsdStrands(const std::filesystem::path& path, const StrandSet& strands) {
    writeFile(path, usdOf(strands));
}

void writePlyStrands(const std::filesystem::path& path, const StrandSet& strands) {
    std::vector<std::pair<uint32_t, uint32_t>> edges;
    for (size_t s = 0; s < strands.size(); ++s)
        for (uint32_t i = strands.start[s] + 1; i < strands.start[s + 1]; ++i) edges.emplace_back(i - 1, i);
    writePlyLines(path, flattened(strands), edges);
}

void writeVdbStrands(const std::filesystem::path& path, const StrandSet& strands) {
    const AttributeSet flat = flattened(strands);
    writeAtomically(path, [&](const std::filesystem::path& temporary) { writeVdbPoints(temporary, flat); });
}

StrandSet readUsdStrands(const std::filesystem::path& path) { return finished(fromUsd(path), path); }
StrandSet readPlyStrands(const std::filesystem::path& path) { return finished(fromPly(path), path); }
StrandSet readVdbStrands(const std::filesystem::path& path) { return finished(fromVdb(path), path); }

bool usdHoldsStrands(const std::filesystem::path& path) {
    return readFile(path).find("def BasisCurves") != std::string::npos;
}

bool vdbHoldsStrands(const std::filesystem::path& path) {
    const ElementsInfo info = readVdbInfo(path);
    return std::any_of(info.attributes.begin(), info.attributes.end(),
                       [](const auto& a) { return a.first == "point"; });
}

}  // namespace ovrix::io

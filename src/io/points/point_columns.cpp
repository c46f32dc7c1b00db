#include "io/points/point_columns.h"

#include <utility>

namespace ovrix::io {

namespace {

/// The columns of these names, when all are there.
std::vector<std::vector<float>> taken(AttributeSet& points, const std::vector<std::string>& names) {
    std::vector<std::vector<float>> out;
    for (const std::string& name : names) {
        const auto column = std::as_const(points).find<float>(name);
        if (column.size() != points.size() || !points.has(name)) return {};
        out.emplace_back(column.begin(), column.end());
    }
    for (const std::string& name : names) points.remove(name);
    return out;
}

void joinVectors(AttributeSet& points, const std::string& name, const std::string& between) {
    if (points.has(name)) return;
    const auto parts = taken(points, {name + between + "x", name + between + "y", name + between + "z"});
    if (parts.empty()) return;
    const auto out = points.add<V3f>(name);
    for (size_t i = 0; i < out.size(); ++i) out[i] = V3f(parts[0][i], parts[1][i], parts[2][i]);
}

}  // namespace

void joinColumns(AttributeSet& points) {
    for (const char* name : {"v", "stretch", "acceleration"})
        for (const char* between : {"_", ""}) joinVectors(points, name, between);
    if (points.has("orient")) return;
    const auto q = taken(points, {"qx", "qy", "qz", "qw"});
    if (q.empty()) return;
    const auto out = points.add<Quatf>("orient");
    for (size_t i = 0; i < out.size(); ++i) out[i] = Quatf(q[3][i], V3f(q[0][i], q[1][i], q[2][i]));
}

}  // namespace ovrix::io

#include "document/file/map_files.h"

#include <fmt/format.h>

#include <map>
#include <set>

#include "base/error.h"
#include "base/files.h"
#include "base/log.h"
#include "io/formats/elements_io.h"
#include "io/points/ply_points.h"

namespace ovrix::document {

namespace fs = std::filesystem;

namespace {

std::string nameOf(uint64_t hash) { return fmt::format("{:016x}.ply", hash); }

void writeMap(const PaintedMap& map, const fs::path& path) {
    auto points = std::make_shared<PointSet>();
    points->attributes.set("P", map.layout->position);
    points->attributes.set("value", map.values);
    std::vector<int32_t> triangle(map.values.size());
    for (size_t t = 0; t + 1 < map.layout->start.size(); ++t)
        std::fill(triangle.begin() + map.layout->start[t], triangle.begin() + map.layout->start[t + 1],
                  int32_t(t));
    points->attributes.set("triangle", std::move(triangle));
    writeElements(path, Geometry(std::shared_ptr<const PointSet>(points)), {});
}

/// @p known  has topology, resolution and hash.
std::shared_ptr<const PaintedMap> readMap(const PaintedMap& known, const fs::path& path) {
    const PointSet points = readPlyPoints(path);
    const auto values = points.attributes.find<float>("value"),
               triangle = points.attributes.find<float>("triangle");
    if (values.empty() || triangle.empty()) throw Error("holds no painted map", path.string());
    auto layout = std::make_shared<PaintLayout>(*known.layout);
    const auto p = points.attributes.find<V3f>("P");
    layout->position.assign(p.begin(), p.end());
    layout->start = {0};
    for (size_t i = 0; i < triangle.size(); ++i) {
        const double t = double(triangle[i]);
        if (!(t >= double(layout->start.size()) - 1.0) || t > double(layout->start.size()))
            throw Error("is damaged: its triangles are out of order", path.string());
        if (t == double(layout->start.size())) layout->start.push_back(uint32_t(i));
    }
    layout->start.push_back(uint32_t(triangle.size()));
    for (size_t t = 0; t + 1 < layout->start.size(); ++t)
        if (layout->start[t + 1] - layout->start[t] < 3)
            throw Error("is damaged: a triangle has too few values", path.string());
    auto map = std::make_shared<PaintedMap>(layout, std::vector<float>(values.begin(), values.end()));
    for (float& x : map->values) x = std::isfinite(x) ? std::clamp(x, 0.0f, 1.0f) : 0.0f;
    if (map->hash != known.hash) throw Error("is not the map that the scene was saved with", path.string());
    return map;
}

using Change = std::function<void(MapValue&)>;

void changeMaps(ParamMap& params, const Change& change) {
    for (auto& [id, param] : params) {
        if (!param.field) continue;
        auto field = std::make_shared<Field>(*param.field);
        bool any = false;
        for (FieldSource& s : field->sources)
            for (auto& [name, own] : s.params)
                if (auto* map = std::get_if<MapValue>(&own.value)) change(*map), any = true;
        if (any) param.field = field;
    }
}

}  // namespace

fs::path mapFolder(const fs::path& scene) { return scene.parent_path() / (scene.stem().string() + ".maps"); }

void overMaps(
    const Document& document,
    const std::function<void(const Node&, const std::string&, const FieldSource&, const MapValue&)>& visit) {
    const auto ofSource = [&](const Node& node, const std::string& step, const FieldSource& source) {
        for (const auto& [name, own] : source.params)
            if (const auto* map = std::get_if<MapValue>(&own.value); map && map->map)
                visit(node, step, source, *map);
    };
    const auto over = [&](const Node& node, const std::string& step, const ParamMap& params) {
        for (const auto& [id, param] : params)
            if (param.field)
                for (const FieldSource& s : param.field->sources) ofSource(node, step, s);
    };
    for (const NodePtr& node : document.nodes()) {
        over(*node, {}, node->params);
        for (const Step& s : node->steps) over(*node, s.id, s.params);
    }
}

void writeMaps(const Document& document, const fs::path& folder) {
    overMaps(document, [&](const Node&, const std::string&, const FieldSource&, const MapValue& value) {
        std::error_code code;
        const fs::path path = folder / nameOf(value.hash());
        if (!value.map->loaded() || fs::exists(path, code)) return;
        makeOwnFolder(folder);
        writeMap(*value.map, path);
    });
}

void dropOldMaps(const Document& document, const fs::path& folder) {
    std::set<std::string> used;
    overMaps(document, [&](const Node&, const std::string&, const FieldSource&, const MapValue& value) {
        used.insert(nameOf(value.hash()));
    });
    std::error_code code;
    if (fs::is_symlink(fs::symlink_status(folder, code))) return;
    for (const auto& entry : fs::directory_iterator(folder, code)) {
        const std::string name = entry.path().filename().string();
        const bool ours =
            name.size() == 20 && name.ends_with(".ply") && name.find_first_not_of("0123456789abcdef") == 16;
        if (ours && !used.count(name)) fs::remove(entry.path(), code);
    }
}

Document withMapsRead(const Document& document, const fs::path& folder) {
    Document out = document;
    std::map<uint64_t, std::shared_ptr<const PaintedMap>> known;  // layers that were duplicated share theirs
    const Change read = [&](MapValue& value) {
        if (!value.map || value.map->loaded()) return;
        try {
            auto& map = known[value.hash()];
            if (!map) map = readMap(*value.map, folder / nameOf(value.hash()));
            value.map = map;
        } catch (const Error& e) {
            log::error("{}", e.what());  // the checks tell the artist
        }
    };
    for (const NodePtr& node : document.nodes()) {
        Node n = *node;
        changeMaps(n.params, read);
        for (Step& s : n.steps) changeMaps(s.params, read);
        out.put(std::move(n));
    }
    return out;
}

}  // namespace ovrix::document

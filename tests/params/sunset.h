// A colour that a field drives, and files of it that are damaged.
#pragma once
#include "base/error.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "field/field.h"
#include "params/param_table.h"
#include "support.h"

namespace ovrix::tests {

using namespace document;

/// As a material has it; for resolving by itself.
inline const struct SunsetParams : ParamTable {
    Handle<VaryingColor> color = add(specs::color("base_color", "Base", Color(0.5f), true, "A colour"));
} kSunset;

/// A material whose base colour is to be driven.
struct Sunset {
    Document document = Document::fresh();
    ParamPath path;
    Sunset() {
        const Node material = makeNode(document, "surface", "Sunset");
        path = {material.id, "", "base_color"};
        document.put(material);
    }
    /// By how high a place is, from @p low to @p high.
    Param byHeight(const Color& low, const Color& high) const {
        Param p = paramAt(document, path);
        FieldSource height = makeSource("formula");
        height.params["formula"].value = std::string("y");
        p.field = std::make_shared<Field>(Field{{height}});
        p.low = low, p.value = high;
        return p;
    }
    std::string fileWith(const Param& param) const { return writeScene(withParam(document, path, param)); }
    /// The file with something else in place of a key and what it stands for.
    static std::string damaged(std::string file, const std::string& key, const std::string& instead) {
        const size_t at = file.find("\"" + key + "\"");
        REQUIRE(at != std::string::npos);
        return file.replace(at, key.size() + 2, "\"" + key + "\": " + instead + ", \"was\"");
    }
};

/// Places above one another, as samples.
struct Heights {
    std::vector<V3f> places, normals;
    Samples samples;
    explicit Heights(size_t count) : normals(count, V3f(0, 1, 0)), samples(count) {
        for (size_t i = 0; i < count; ++i) places.push_back(V3f(0, float(i) / float(count - 1), 0));
        samples.with(channel::position, places).with(channel::normal, normals);
    }
};

}  // namespace ovrix::tests

// Small scenes that show what a library holds.
#pragma once
#include "document/edits/edits.h"

namespace ovrix::deliver {

/// Puts one together.
struct SampleScene {
    using Values = std::vector<std::pair<const char*, const char*>>;
    Document d = Document::fresh();
    std::string add(const std::string& type, const std::string& name, const Values& values = {}) {
        const Node n = makeNode(d, type, name);
        d.put(n);
        set(n.id, values);
        return n.id;
    }
    void set(const std::string& path, const std::string& text) { d = withText(d, path, text); }
    void set(const std::string& at, const Values& values) {
        for (const auto& [param, text] : values) set(at + "/" + param, text);
    }
};

}  // namespace ovrix::deliver

// A plane with a layer of spheres on it, to be edited.
#pragma once
#include "document/edits/edits.h"
#include "field/field.h"
#include "support.h"

namespace ovrix::tests {

using namespace deliver;

struct SmallScene {
    Document document = Document::fresh();
    std::string plane, ball, layer;
    SmallScene() {
        Node p = makeNode(document, "plane"), b = makeNode(document, "sphere");
        plane = p.id, ball = b.id;
        document.put(p);
        document.put(b);
        document = withLayer(document, plane, ball, &layer);
    }
    void set(const std::string& path, const std::string& value) {
        document = withText(document, path, value);
    }
};

inline std::shared_ptr<const Field> fieldOf(const std::string& type) {
    return std::make_shared<Field>(Field{{makeSource(type)}});
}

}  // namespace ovrix::tests

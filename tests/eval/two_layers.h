// A scene of two layers to build on.
#pragma once
#include "document/edits/edits.h"
#include "eval/evaluator.h"
#include "support.h"

namespace ovrix::tests {

using namespace deliver;

/// Two layers of balls on a plane.
struct Two {
    Document document = Document::fresh();
    std::string plane, ball, a, b;
    Evaluator evaluator;
    Two() {
        Node p = makeNode(document, "plane"), s = makeNode(document, "sphere");
        s.params["radius"].value = 0.05;
        plane = p.id, ball = s.id;
        document.put(p);
        document.put(s);
        document = withLayer(document, plane, ball, &a);
        document = withLayer(document, plane, ball, &b);
        set(a + "/scatter/count", "200");
        set(b + "/scatter/count", "500");
        set(b + "/scatter/seed", "9");
    }
    void set(const std::string& path, const std::string& value) {
        document = withText(document, path, value);
    }
    LayerResult eval(const std::string& layer) {
        return evaluator.layer(document, layer, {1, Purpose::Render, false}, Progress::none());
    }
    std::string error(const std::string& layer) {
        for (const StepReport& r : eval(layer).steps)
            if (!r.error.empty()) return r.error + ". " + r.remedy;
        return {};
    }
    /// A mask of @p layer by the distance to others.
    void maskByDistance(const std::string& layer, const Refs& to, Range between) {
        FieldSource source = makeSource("distance");
        source.params["to"].value = to;
        source.params["range"].value = between;
        document = withField(document, {layer, "scatter", "mask"}, std::make_shared<Field>(Field{{source}}));
    }
};

}  // namespace ovrix::tests

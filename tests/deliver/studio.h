// A sphere and a camera in the dark, rendered from the document.
#pragma once
#include "deliver/render_scene_builder.h"
#include "document/edits/edits.h"
#include "eval/checks/checks.h"
#include "support.h"

namespace ovrix::tests {

using namespace deliver;

/// A white sphere alone in the middle of the picture, without any light.
struct Studio {
    TemporaryFolder folder;
    Document document = Document::fresh();
    Evaluator evaluator;
    std::string ball;

    Studio() {
        for (const NodePtr& light : document.nodes(Category::Light)) document.remove(light->id);
        ball = add("sphere");
        set(ball + "/segments", "64");
        set(ball + "/radius", "1");
        set("camera/position", "0,0,6");
        set("camera/target", "0,0,0");
        set("camera/exposure", "0");
    }
    SceneContext scene() const { return {document, folder.path()}; }
    std::string add(const std::string& type) {
        const Node n = makeNode(document, type);
        document.put(n);
        return n.id;
    }
    void set(const std::string& path, const std::string& text) { document = withText(document, path, text); }
    void wear(const std::string& material) { set(ball + "/material", material); }

    Film render(int size, int passes, const JobOptions& options = {}) {
        RenderSceneBuilder builder(evaluator);
        const RenderJob job = builder.build(scene(), options, Progress::none());
        CHECK(job.problems.empty());
        Film film(size, size);
        const Renderer renderer(*job.scene, job.cameraFor(size, size), job.options);
        for (int pass = 0; pass < passes; ++pass)
            renderer.renderPass(film, uint32_t(pass), {0, 0, size, size}, Progress::none());
        return film;
    }
    bool hasCheck(const std::string& part) {
        for (const Check& c : findChecks(scene(), {}, evaluator, 1, Progress::none()))
            if (c.text.find(part) != std::string::npos) return true;
        return false;
    }
};

inline V3f meanOf(const Film& film, int x0, int x1, int y0, int y1) {
    V3f sum(0.0f);
    for (int y = y0; y < y1; ++y)
        for (int x = x0; x < x1; ++x) sum += film.beauty(x, y);
    return sum / float((x1 - x0) * (y1 - y0));
}

}  // namespace ovrix::tests

// Pictures made by hand, with the passes that a test gives them, and steps run over them.
#pragma once
#include "base/error.h"
#include "params/param.h"
#include "render/finish/steps/finish_steps.h"
#include "support.h"

namespace ovrix::tests {

struct FakePasses : PicturePasses {
    int w, h;
    std::map<Pass, std::vector<std::vector<float>>> all;
    std::map<std::string, std::vector<float>> mattes;
    FakePasses(int width_, int height_) : w(width_), h(height_) {
        set(Pass::Depth, [](int, int) { return 5.0f; });
        setVectors(Pass::Normal, V3f(0, 0, 1));
        setVectors(Pass::Albedo, V3f(0.5f));
    }
    int width() const override { return w; }
    int height() const override { return h; }
    std::vector<std::vector<float>> planes(Pass pass) const override {
        const auto at = all.find(pass);
        return at == all.end() ? std::vector<std::vector<float>>() : at->second;
    }
    std::vector<float> matte(const std::set<std::string>& names) const override {
        std::vector<float> out(size_t(w) * size_t(h), 0.0f);
        for (const std::string& name : names)
            if (mattes.count(name))
                for (size_t i = 0; i < out.size(); ++i) out[i] = std::max(out[i], mattes.at(name)[i]);
        return mattes.empty() ? std::vector<float>() : out;
    }
    std::map<std::string, std::vector<V3f>> groups;
    std::vector<V3f> groupLight(const std::string& group) const override {
        const auto at = groups.find(group);
        return at == groups.end() ? std::vector<V3f>() : at->second;
    }
    template <class At>
    std::vector<float> planeOf(const At& at) const {
        std::vector<float> out;
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) out.push_back(at(x, y));
        return out;
    }
    template <class At>
    void set(Pass pass, const At& at) {
        all[pass] = {planeOf(at)};
    }
    void setVectors(Pass pass, const V3f& v) {
        all[pass] = std::vector<std::vector<float>>(channelsOf(pass));
        for (size_t c = 0; c < channelsOf(pass); ++c) all[pass][c].assign(size_t(w) * size_t(h), v[int(c)]);
    }
};

/// One picture, and what steps made of it.
struct Bench {
    FakePasses passes;
    int width, height;
    std::vector<V3f> light;
    std::vector<float> alpha;
    PictureWindow window;
    CameraOptions camera;
    std::vector<std::string> notes;
    ImageSource* images = nullptr;
    bool draft = false;

    Bench(int w, int h, const V3f& all = V3f(0.25f))
        : passes(w, h),
          width(w),
          height(h),
          light(size_t(w) * size_t(h), all),
          alpha(light.size(), 1.0f),
          window{0, 0, double(w), double(h)} {
        camera.position = V3f(0), camera.target = V3f(0, 0, -5), camera.focus = 5;
    }
    V3f& at(int x, int y) { return light[size_t(y) * size_t(width) + size_t(x)]; }
    void run(const StepType& step, const ParamMap& params = {}, Progress& progress = Progress::none()) {
        FieldContext context;
        const ResolvedParams resolved(step.params, params, context);
        const PictureSetting setting{.passes = passes,
                                     .camera = camera,
                                     .images = images,
                                     .nameOf = [](const std::string& id) { return id; },
                                     .draft = draft};
        PictureWork work{width, height, light, alpha, window, setting, resolved, progress, notes};
        finishBy(step, work);
        width = work.width, height = work.height, window = work.window;
        light = work.light, alpha = work.alpha;
    }
};

inline ParamMap values(std::initializer_list<std::pair<const char*, Value>> list) {
    ParamMap out;
    for (const auto& [id, value] : list) out[id].value = value;
    return out;
}

inline V3f sumOf(const std::vector<V3f>& light) {
    V3d sum(0.0);
    for (const V3f& c : light) sum += V3d(c);
    return V3f(sum);
}

}  // namespace ovrix::tests

#include "io/image/color_config.h"

#include <OpenColorIO/OpenColorIO.h>

#include <cstdlib>
#include <mutex>

#include "base/error.h"
#include "base/files.h"

namespace OCIO = OCIO_NAMESPACE;

namespace ovrix::io {

namespace {

class Processed : public DisplayTransform {
  public:
    explicit Processed(const OCIO::ConstProcessorRcPtr& processor)
        : processor_(processor->getDefaultCPUProcessor()) {}
    void apply(std::span<V3f> light) const override {
        if (light.empty()) return;
        OCIO::PackedImageDesc image(&light[0].x, long(light.size()), 1, 3);
        processor_->apply(image);
    }

  private:
    OCIO::ConstCPUProcessorRcPtr processor_;
};

/// To the primaries of P3 with the white of D65 (SMPTE EG 432-1), and the transfer function of sRGB.
OCIO::ConstProcessorRcPtr toDisplayP3() {
    auto matrix = OCIO::MatrixTransform::Create();
    const double m[16] = {0.8224621, 0.1775380, 0,         0, 0.0331942, 0.9668058, 0, 0,
                          0.0170826, 0.0723974, 0.9105199, 0, 0,         0,         0, 1};
    matrix->setMatrix(m);
    auto curve = OCIO::ExponentWithLinearTransform::Create();
    curve->setGamma({2.4, 2.4, 2.4, 1.0});
    curve->setOffset({0.055, 0.055, 0.055, 0.0});
    curve->setNegativeStyle(OCIO::NEGATIVE_LINEAR);
    curve->setDirection(OCIO::TRANSFORM_DIR_INVERSE);
    auto both = OCIO::GroupTransform::Create();
    both->appendTransform(matrix);
    both->appendTransform(curve);
    return OCIO::Config::CreateRaw()->getProcessor(both);
}

/// From linear Rec.709 to ACES2065-1 (SMPTE ST 2065-1), its white moved from that of D65 by Bradford's cones.
OCIO::TransformRcPtr toAces() {
    auto matrix = OCIO::MatrixTransform::Create();
    const double m[16] = {0.4396330, 0.3829887, 0.1773783, 0, 0.0897764, 0.8134394, 0.0967842, 0,
                          0.0175412, 0.1115466, 0.8709122, 0, 0,         0,         0,         1};
    matrix->setMatrix(m);
    return matrix;
}

/// Names by which configurations call what the program has inside.
constexpr const char* kOwnSpaces[] = {
    "Linear Rec.709 (sRGB)",      "Linear Rec.709", "lin_rec709",     "lin_srgb", "Utility - Linear - sRGB",
    "Utility - Linear - Rec.709", "Linear BT.709",  "lin_rec709_srgb"};

class Config : public ColorConfig {
  public:
    Config(OCIO::ConstConfigRcPtr config, std::string name)
        : config_(std::move(config)), name_(std::move(name)) {}
    std::vector<std::string> displays() const override {
        std::vector<std::string> out;
        for (int i = 0; i < config_->getNumDisplays(); ++i) out.emplace_back(config_->getDisplay(i));
        return out;
    }
    std::vector<std::string> views(const std::string& display) const override {
        std::vector<std::string> out;
        for (int i = 0; i < config_->getNumViews(display.c_str()); ++i)
            out.emplace_back(config_->getView(display.c_str(), i));
        return out;
    }
    std::shared_ptr<const DisplayTransform> view(const std::string& display,
                                                 const std::string& name) const override {
        const std::string screen = display.empty() ? config_->getDefaultDisplay() : display;
        requireAmong(screen, displays(), "display");
        const std::string seen = name.empty() ? config_->getDefaultView(screen.c_str()) : name;
        requireAmong(seen, views(screen), "view");
        const auto [from, toThere] = ownSpace();
        auto transform = OCIO::DisplayViewTransform::Create();
        transform->setSrc(from.c_str());
        transform->setDisplay(screen.c_str());
        transform->setView(seen.c_str());
        auto all = OCIO::GroupTransform::Create();
        if (toThere) all->appendTransform(toThere);
        all->appendTransform(transform);
        try {
            return std::make_shared<Processed>(config_->getProcessor(all));
        } catch (const OCIO::Exception& e) {
            throw Error(std::string("cannot give the view \"") + seen + "\": " + e.what(), name_,
                        "Choose another view");
        }
    }

  private:
    void requireAmong(const std::string& name, const std::vector<std::string>& all, const char* what) const {
        if (std::find(all.begin(), all.end(), name) != all.end()) return;
        std::string known;
        for (const std::string& n : all) known += (known.empty() ? "" : ", ") + n;
        throw Error(std::string("has no ") + what + " \"" + name + "\"", name_,
                    all.empty() ? "Choose another configuration" : "Choose one of: " + known);
    }
    /// Where our light enters the configuration, and what brings it there; null where it is that.
    std::pair<std::string, OCIO::TransformRcPtr> ownSpace() const {
        for (const char* name : kOwnSpaces)
            if (config_->getColorSpace(name)) return {name, nullptr};
        // By the space in which configurations hand pictures to each other, where this one has it.
        if (const char* shared = "aces_interchange"; config_->getColorSpace(shared))
            return {shared, toAces()};
        // Else the working space is taken for ours: nothing says what it is.
        if (config_->getColorSpace(OCIO::ROLE_SCENE_LINEAR)) return {OCIO::ROLE_SCENE_LINEAR, nullptr};
        throw Error("has no colour space of linear Rec.709", name_, "Choose another configuration");
    }
    OCIO::ConstConfigRcPtr config_;
    std::string name_;
};

}  // namespace

const std::vector<std::string>& screenNames() {
    static const std::vector<std::string> names{"sRGB", "Display P3"};
    return names;
}

std::shared_ptr<const DisplayTransform> screenTransform(const std::string& screen) {
    if (screen == screenNames()[0]) return nullptr;
    if (screen != screenNames()[1])
        throw Error("there is no screen \"" + screen + "\"", {}, "Use sRGB or Display P3");
    static const auto p3 = std::make_shared<const Processed>(toDisplayP3());
    return p3;
}

std::shared_ptr<const ColorConfig> ColorConfig::open(const std::filesystem::path& path) {
    std::filesystem::path file = path;
    if (file.empty()) {
        const char* named = std::getenv("OCIO");
        if (!named || !*named)
            throw Error("no colour configuration is chosen", {},
                        "Choose its file, or set the variable OCIO of the environment");
        file = named;
    }
    requireReadable(file);  // says what is wrong with it as a file
    // Who looks at pictures asks again and again; reading a large one takes a while.
    static std::mutex mutex;
    static std::filesystem::path lastFile;
    static uint64_t lastStamp = 0;
    static std::shared_ptr<const ColorConfig> last;
    const std::lock_guard lock(mutex);
    if (const uint64_t stamp = fileStamp(file); last && file == lastFile && stamp == lastStamp) return last;
    try {
        auto config = OCIO::Config::CreateFromFile(file.c_str());
        config->validate();
        last = std::make_shared<Config>(std::move(config), file.string());
        lastFile = file, lastStamp = fileStamp(file);
        return last;
    } catch (const std::exception& e) {
        throw Error(std::string("is no colour configuration that can be used: ") + e.what(), file.string(),
                    "Choose a file in the format of OpenColorIO");
    }
}

}  // namespace ovrix::io

#include "base/error.h"
#include "field/sources.h"

namespace ovrix {

namespace {

struct Picture : SourceKernel {
    std::shared_ptr<const Image> image;
    float repeatU, repeatV;
    std::string channel;

    Color colorAt(const V2f& uv) const { return image->sample(uv.x * repeatU, uv.y * repeatV); }

    void evaluate(const Samples& s, std::span<float> out) const override {
        for (size_t i = 0; i < out.size(); ++i) out[i] = s.uv.empty() ? 0.0f : pick(s.uv[i]);
    }
    float pick(const V2f& uv) const {
        if (channel == "alpha") return image->sampleAlpha(uv.x * repeatU, uv.y * repeatV);
        const Color c = colorAt(uv);
        if (channel == "red") return c.x;
        if (channel == "green") return c.y;
        if (channel == "blue") return c.z;
        return 0.2126f * c.x + 0.7152f * c.y + 0.0722f * c.z;  // luminance, Rec. 709
    }
    void evaluateColor(const Samples& s, std::span<V3f> out) const override {
        for (size_t i = 0; i < out.size(); ++i) out[i] = s.uv.empty() ? V3f(0.0f) : V3f(colorAt(s.uv[i]));
    }
};

std::unique_ptr<SourceKernel> compilePicture(const ResolvedParams& p, const FieldContext& context) {
    const std::string& file = p.text("file");
    if (file.empty()) throw Error("the image source has no file", {}, "Choose an image");
    if (!context.hasUvs)
        throw Error("the surface has no UVs for the image source", {},
                    "Give the mesh UVs, or use another source");
    if (!context.images) throw Error("images cannot be read here", file);
    auto kernel = std::make_unique<Picture>();
    kernel->image = context.images->image(file, p.text("space"));
    kernel->repeatU = float(p.number("repeat_u"));
    kernel->repeatV = float(p.number("repeat_v"));
    kernel->channel = p.text("channel");
    return kernel;
}

}  // namespace

SourceType imageSource() {
    return {.id = "image",
            .title = "Image by UV",
            .help =
                "A picture laid on by the surface's UVs: its brightness drives numbers, its colour drives "
                "colours",
            .params = {{.id = "file",
                        .title = "File",
                        .type = ParamType::File,
                        .initial = std::string(),
                        .help = "The image"},
                       {.id = "space",
                        .title = "Colour space",
                        .type = ParamType::Choice,
                        .initial = std::string("sRGB"),
                        .help = "The space that the file's numbers are in",
                        .choices = colorSpaceNames()},
                       {.id = "channel",
                        .title = "Channel",
                        .type = ParamType::Choice,
                        .initial = std::string("brightness"),
                        .help = "What drives a number",
                        .choices = {"brightness", "red", "green", "blue", "alpha"}},
                       {.id = "repeat_u",
                        .title = "Repeat U",
                        .initial = 1.0,
                        .hardMin = -1e4,
                        .hardMax = 1e4,
                        .softMin = 0,
                        .softMax = 10,
                        .help = "How often it lies along U"},
                       {.id = "repeat_v",
                        .title = "Repeat V",
                        .initial = 1.0,
                        .hardMin = -1e4,
                        .hardMax = 1e4,
                        .softMin = 0,
                        .softMax = 10,
                        .help = "How often it lies along V"}},
            .compile = compilePicture};
}

}  // namespace ovrix

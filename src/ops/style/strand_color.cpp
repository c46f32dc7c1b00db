#include "ops/style/strand_color.h"

#include "base/tint.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct StrandColorParams : ParamTable {
    Handle<VaryingColor> root =
        add(color("root", "Root", starting(StrandColorOptions{}.root), true, "At the root"));
    Handle<VaryingColor> tip =
        add(color("tip", "Tip", starting(StrandColorOptions{}.tip), true, "At the tip"));
    Handle<Curve> along =
        add(profile("along", "Along", {{0, 0}, {1, 1}}, "From the root's colour (0) to the tip's (1)"));
    Handle<std::string> image = add(file("image", "Image", "Its colour under the root multiplies both"));
    Handle<std::string> space = add(shownIf(choice("space", "Colour space", "sRGB", colorSpaceNames(),
                                                   "The space that the file's numbers are in"),
                                            "image!="));
    Handle<double> brightness =
        add(unitNumber("brightness", "Brightness varies", starting(StrandColorOptions{}.brightness),
                       "From strand to strand"));
    Handle<double> hue = add(number("hue", "Hue varies", starting(StrandColorOptions{}.hue), "deg", 0, 180, 0,
                                    40, "From strand to strand, to both sides"));
    Handle<double> clumps =
        add(unitNumber("clumps", "Clumps vary", 0.1, "In brightness, all strands of a clump alike"));
    Handle<Varying> grey = add(drivable(unitNumber(
        "grey", "Grey fraction", starting(StrandColorOptions{}.grey), "Chance of a strand to be grey")));
    Handle<Color> greyColor = add(shownIf(
        color("grey_color", "Grey", starting(StrandColorOptions{}.greyColor), false, "Of grey strands"),
        "grey!=0"));
    Handle<int64_t> seed = add(seedSpec("Another number, other picks"));
} kStrandColor;

/// What makes one strand differ from the others.
V3f tintOf(const StrandColorOptions& o, uint64_t id, int32_t clump) {
    const Random4 own = random4(o.seed, id, Stream::Color);
    float light = 1.0f + o.brightness * (2.0f * own[0] - 1.0f);
    if (o.clumps > 0.0f)
        light *= 1.0f + o.clumps * (2.0f * random1(o.seed, uint64_t(uint32_t(clump)), Stream::Color) - 1.0f);
    return V3f(o.hue * (2.0f * own[1] - 1.0f), 1.0f, std::max(0.0f, light));
}

}  // namespace

StrandsPtr strandColor(const StrandSet& in, const StrandColorOptions& o, Progress& progress) {
    Progress::Task task(progress, "Colouring");
    auto out = std::make_shared<StrandSet>(in);
    const Samples samples = samplesOf(in);
    const auto ids = samples.get(channel::id);
    const auto uvs = samples.get(channel::uv);
    const auto root = o.root.over(samples, progress), tip = o.tip.over(samples, progress);
    const auto grey = o.grey.over(samples, progress);
    const auto clump = in.strands.find<int32_t>("clump");
    const AlongTable along(o.along);
    auto color = out->points.add<Color>("color");
    eachStrand(in, progress, [&](size_t s, std::span<const V3f> line, StrandScratch& x) {
        alongOf(line, x.t);
        const bool isGrey = random1(o.seed, ids[s], Stream::Grey) < grey[s];
        const V3f tint = tintOf(o, ids[s], clump.empty() ? 0 : clump[s]);
        V3f picture(1.0f);
        if (o.image && !uvs.empty()) picture = V3f(o.image->sample(uvs[s].x, uvs[s].y));
        for (size_t i = 0; i < line.size(); ++i) {
            const Color own = root[s] + (tip[s] - root[s]) * along.at(x.t[i]);
            color[in.start[s] + i] = tinted(isGrey ? o.greyColor : own * Color(picture), tint);
        }
    });
    return out;
}

static Geometry applyStrandColor(const StepInput& in) {
    StrandColorOptions o;
    o.root = in.params[kStrandColor.root];
    o.tip = in.params[kStrandColor.tip];
    o.along = in.params[kStrandColor.along];
    o.brightness = float(in.params[kStrandColor.brightness]);
    o.hue = float(in.params[kStrandColor.hue]) / 360.0f;
    o.clumps = float(in.params[kStrandColor.clumps]);
    o.grey = in.params[kStrandColor.grey];
    o.greyColor = in.params[kStrandColor.greyColor];
    o.seed = uint64_t(in.params[kStrandColor.seed]);
    if (const std::string& file = in.params[kStrandColor.image]; !file.empty()) {
        if (!in.query) throw Error("images cannot be read here", file);
        if (!strandsOf(in)->strands.has("uv"))
            throw Error("the surface has no UVs for the image", {},
                        "Give the mesh UVs, or take the image out");
        o.image = in.query->image(file, in.params[kStrandColor.space]);
    }
    return strandColor(*strandsOf(in), o, in.progress);
}

StepType strandColorStep() {
    return {.id = "strand_color",
            .title = "Colour strands",
            .phase = Phase::Look,
            .help = "Colours from root to tip, by an image, by chance, by clump; some may be grey",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kStrandColor.specs(),
            .apply = applyStrandColor};
}

}  // namespace ovrix::ops

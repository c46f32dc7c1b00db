#include "ops/place/file_frames.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/file_sequence.h"

namespace ovrix::ops {

namespace {

const char *const kHold = "hold", *const kLoop = "loop", *const kNothing = "nothing";

/// Where a frame lies in a sequence that ends.
std::optional<double> within(double frame, int first, int last, const std::string& atEnd) {
    if (frame >= first && frame <= last) return frame;
    if (atEnd == kNothing) return std::nullopt;
    if (atEnd == kHold) return std::clamp(frame, double(first), double(last));
    const double length = double(last) - first + 1, turns = std::floor((frame - first) / length);
    return frame - turns * length;
}

}  // namespace

FileFrame fileFrame(const StepInput& in, const FileFrameParams& params, const std::string& ask) {
    const ResolvedParams& p = in.params;
    const std::string& light = p[params.light];
    FileFrame out;
    out.light = in.draft && !light.empty();
    const std::string& pattern = out.light ? light : p[params.file];
    if (pattern.empty()) throw Error("no file is chosen", {}, ask);
    if (!in.query) throw Error("files cannot be read here");
    if (!isSequence(pattern)) {
        out.file = pattern;
        return out;
    }
    const std::set<int> there = in.query->framesOf(pattern);
    if (there.empty())
        throw Error("no file of the sequence is there", pattern,
                    "Check the name: # stands for the frame's digits");
    const auto frame = within(in.frame - p[params.offset], *there.begin(), *there.rbegin(), p[params.atEnd]);
    if (!frame) return out;
    const int low = int(std::floor(*frame));
    const auto after = there.upper_bound(low);
    const int shown = *std::prev(after);  // there is one: the first is not after it
    if (shown != low)
        in.note(fmt::format("{} is missing: frame {} is shown", fileOfFrame(pattern, low), shown));
    out.file = fileOfFrame(pattern, shown);
    out.fraction = shown == low ? float(*frame - low) : 0.0f;
    if (out.fraction > 0 && there.count(low + 1)) out.later = fileOfFrame(pattern, low + 1);
    return out;
}

bool hasLight(const ParamMap& values, const FileFrameParams& params) {
    return !valueIn(values, params.light).empty();
}

static ParamSpec sequence(ParamSpec spec) {
    spec.refKind = "sequence";
    return spec;
}

FileFrameParams::FileFrameParams(ParamTable& table, std::string help)
    : file(table.add(sequence(
          specs::file("file", "File", std::move(help) + "; #### in the name stands for the frame")))),
      light(table.add(sequence(
          specs::file("light", "In Draft", "A lighter file or sequence that Draft shows instead, whole")))),
      offset(table.add(specs::number("offset", "Offset", 0, "", -1e6, 1e6, -100, 100,
                                     "Frames by which a sequence starts later"))),
      atEnd(table.add(specs::choice(
          "at_end", "Beyond ends", kHold, {kHold, kLoop, kNothing},
          "Of a sequence: its first and last frame stay, it starts again, or nothing is there"))) {}

}  // namespace ovrix::ops

#include "ops/groom/comb.h"

#include <fmt/format.h>

#include "field/paint.h"
#include "ops/rebind.h"
#include "params/param_table.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct CombParams : ParamTable {
    Handle<StrandEdits> combing = add({.id = "combing",
                                       .title = "Combing",
                                       .type = ParamType::Combing,
                                       .initial = StrandEdits(),
                                       .help = "What was combed in the view, by the strand's id"});
} kComb;

}  // namespace

std::vector<V3f> directionsOf(std::span<const V3f> p, const Quatf& orient) {
    const Quatf back = orient.inverse();
    std::vector<V3f> out;
    V3f last(0, 1, 0);
    for (size_t i = 1; i < p.size(); ++i) {
        const V3f d = rotate(back, p[i] - p[i - 1]);
        const float length = d.length();
        if (length > 1e-20f) last = d / length;
        out.push_back(last);
    }
    return out;
}

std::vector<V3f> directionsAs(const std::vector<V3f>& from, size_t count) {
    if (from.size() == count || from.empty()) return from;
    std::vector<V3f> out(count);
    for (size_t i = 0; i < count; ++i) {
        const float x = (float(i) + 0.5f) / float(count) * float(from.size()) - 0.5f;
        const size_t a = size_t(std::clamp(std::floor(x), 0.0f, float(from.size() - 1)));
        const size_t b = std::min(a + 1, from.size() - 1);
        const V3f d = from[a] + (from[b] - from[a]) * std::clamp(x - float(a), 0.0f, 1.0f);
        out[i] = d.length() > 1e-6f ? d.normalized() : from[a];
    }
    return out;
}

namespace {

/// Puts a strand's points where its edit says; its first point stays.
void shapeBy(const StrandEdit& e, const Quatf& orient, std::span<const V3f> from, std::span<V3f> to) {
    if (e.directions.empty()) {
        for (size_t i = 0; i < from.size(); ++i) to[i] = from[0] + (from[i] - from[0]) * e.length;
        return;
    }
    const auto directions = directionsAs(e.directions, from.size() - 1);
    to[0] = from[0];
    for (size_t i = 1; i < from.size(); ++i)
        to[i] = to[i - 1] + rotate(orient, directions[i - 1]) * ((from[i] - from[i - 1]).length() * e.length);
}

/// A column of a set, which is made where there is none.
struct Roots {
    std::span<V3f> p, n;
    std::span<Quatf> orient;
    std::span<uint64_t> id;
    std::span<int32_t> triangle;
    std::span<V2f> bary, uv;
    explicit Roots(AttributeSet& set)
        : p(set.add<V3f>("P")),
          n(set.add<V3f>("N", V3f(0, 1, 0))),
          orient(set.add<Quatf>("orient")),
          id(set.add<uint64_t>("id")),
          triangle(set.add<int32_t>("triangle", -1)),
          bary(set.add<V2f>("bary")),
          uv(set.has("uv") ? set.add<V2f>("uv") : std::span<V2f>()) {}
};

void plant(StrandSet& out, const std::vector<const StrandEdit*>& added, size_t per, const Surface& rest,
           const Surface& now, uint64_t topology, CombReport& report) {
    const bool known = topologyOf(now) == topology, sameFaces = sameTopology(rest, now);
    const size_t first = out.size(), firstPoint = out.pointCount();
    out.strands.resize(first + added.size());
    out.points.resize(firstPoint + added.size() * per);
    const Roots roots(out.strands);
    auto p = out.points.add<V3f>("P");
    auto width = out.points.add<float>("width");
    for (size_t k = 0; k < added.size(); ++k) {
        const StrandEdit& e = *added[k];
        const size_t s = first + k;
        uint32_t triangle = uint32_t(e.triangle);
        V2f bary = e.bary;
        if (!known || triangle >= now.mesh().triangles().size()) {
            SurfaceHit hit = rest.closest(e.position);
            // A triangle of the one is a triangle of the other only where both have the same.
            if (!sameFaces) hit = now.closest(hit.hit ? hit.position : e.position);
            triangle = hit.triangle, bary = V2f(hit.u, hit.v);
            ++report.rebound;
        }
        const Surface::Sample at = now.sampleAt(triangle, bary.x, bary.y);
        roots.p[s] = at.position, roots.n[s] = at.normal;
        roots.id[s] = e.id;
        roots.triangle[s] = int32_t(triangle), roots.bary[s] = bary;
        roots.orient[s] = rootFrame(at.normal, edgeOf(now.mesh(), triangle));
        if (!roots.uv.empty()) roots.uv[s] = now.uvAt(triangle, bary.x, bary.y);
        auto directions = directionsAs(e.directions, per - 1);
        if (directions.empty()) directions.assign(per - 1, V3f(0, 1, 0));
        V3f position = at.position;
        for (size_t i = 0; i < per; ++i) {
            p[firstPoint + k * per + i] = position;
            width[firstPoint + k * per + i] = 0.01f * e.length * (1.0f - 0.85f * float(i) / float(per - 1));
            if (i + 1 < per) position += rotate(roots.orient[s], directions[i]) * (e.length / float(per - 1));
        }
        out.start.push_back(uint32_t(firstPoint + (k + 1) * per));
    }
}

}  // namespace

StrandsPtr combed(const StrandSet& in, const StrandEdits& edits, const Surface* rest, const Surface* now,
                  CombReport* report) {
    CombReport own;
    CombReport& said = report ? *report : own;
    const auto ids = in.strands.find<uint64_t>("id");
    std::vector<const StrandEdit*> of(in.size());
    size_t used = 0;
    std::vector<uint32_t> kept;
    for (size_t s = 0; s < in.size(); ++s) {
        of[s] = edits.find(ids[s]);
        if (of[s] && of[s]->added) of[s] = nullptr;
        used += of[s] != nullptr;
        if (!of[s] || !of[s]->removed) kept.push_back(uint32_t(s));
    }
    std::vector<const StrandEdit*> added;
    for (const StrandEditPtr& e : edits.list)
        if (e->added) added.push_back(e.get());
    said.unused = edits.list.size() - added.size() - used;
    const auto from = in.points.find<V3f>("P");
    const auto orient = in.strands.find<Quatf>("orient");
    auto out = std::make_shared<StrandSet>(in);
    {
        auto to = out->points.add<V3f>("P");
        parallelFor(in.size(), Progress::none(), [&](size_t s) {
            if (of[s] && !of[s]->removed)
                shapeBy(*of[s], orient.empty() ? Quatf() : orient[s], pointsOf(in, from, s),
                        to.subspan(in.start[s], in.pointsOf(s)));
        });
    }
    if (kept.size() < in.size())
        out = std::make_shared<StrandSet>(*std::get<StrandsPtr>(gathered(StrandsPtr(out), kept)));
    const auto faces = [](const Surface* s) { return s && !s->mesh().triangles().empty(); };
    if (!added.empty() && faces(rest) && faces(now))
        plant(*out, added,
              std::max<size_t>(2, in.size() ? in.pointsOf(0) : added.front()->directions.size() + 1), *rest,
              *now, edits.topology, said);
    return out;
}

static Geometry applyComb(const StepInput& in) {
    const StrandEdits& edits = in.params[kComb.combing];
    if (edits.list.empty()) return in.in;
    CombReport report;
    const auto made =
        combed(*strandsOf(in), edits, in.rest ? in.rest.get() : in.surface.get(), in.surface.get(), &report);
    if (report.rebound) in.note(reboundNote(report.rebound));
    if (report.unused)
        in.note(fmt::format("{} combed {} no longer made; the combing is kept in case they come back",
                            report.unused, report.unused == 1 ? "strand is" : "strands are"));
    return made;
}

StepType combStep() {
    return {.id = "comb",
            .title = "Comb",
            .phase = Phase::Shape,
            .help = "Strands as they are combed, cut, planted and taken out in the view (key 7)",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kComb.specs(),
            .byHand = ByHand::Strands,
            .apply = applyComb};
}

}  // namespace ovrix::ops

// Simulations for tests and benchmarks: a solver with its parts, and a world in which objects move as told.
#pragma once
#include "base/hash.h"
#include "base/image.h"
#include "document/model/document.h"
#include "document/model/step_registry.h"
#include "field/field.h"
#include "geo/mesh/primitives.h"
#include "geo/points/curve_set.h"
#include "geo/surface/surface.h"
#include "geo/volume/vector_grid.h"
#include "sim/solver.h"

namespace ovrix::tests {

using namespace deliver;

/// Objects by name, whose shape and place follow from the frame.
struct World {
    std::map<std::string, std::function<SceneQuery::Placed(double frame)>> objects;
    std::map<std::string, Geometry> layers;
    std::map<std::string, std::shared_ptr<const CurveSet>> curves;
    std::map<std::string, VectorGridPtr> grids;  ///< by file
    std::map<std::string, std::shared_ptr<const StrandSet>> strandFiles;
};

class WorldAt : public SceneQuery {
  public:
    WorldAt(const World& world, double frame) : world_(world), frame_(frame) {}
    Kind kindOf(const std::string& id) override {
        return world_.layers.count(id) ? Kind::Layer : world_.curves.count(id) ? Kind::Curve : Kind::Object;
    }
    Placed placed(const std::string& id) override { return world_.objects.at(id)(frame_); }
    SurfacePtr surface(const std::string& id) override {
        const Placed p = placed(id);
        return std::make_shared<const Surface>(transformed(p.shape->mesh(), p.world));
    }
    Geometry elements(const std::string& id) override { return world_.layers.at(id); }
    MeshPtr mesh(const std::string& id) override { return placed(id).shape->meshPtr(); }
    std::shared_ptr<const StrandSet> strands(const std::string&) override { return nullptr; }
    std::shared_ptr<const CurveSet> curves(const std::string& id) override { return world_.curves.at(id); }
    std::shared_ptr<const PointSet> points(const std::string&) override { return nullptr; }
    std::shared_ptr<const StrandSet> strandFile(const std::string& file) override {
        return world_.strandFiles.at(file);
    }
    std::set<int> framesOf(const std::string&) override { return {}; }
    VectorGridPtr vectors(const std::string& file, const std::string&) override {
        return world_.grids.at(file);
    }
    M44f projection(const std::string&) override { return M44f(); }
    std::shared_ptr<const Image> image(const std::string&, const std::string&) override { return nullptr; }

  private:
    const World& world_;
    double frame_;
};

/// A simulation step with parts, run by hand.
struct Sim {
    World world;
    std::function<Geometry(double frame)> source;
    std::string step = "simulate";
    ParamMap params;
    std::vector<Step> parts;
    double rate = 24, share = 1;
    std::vector<std::unique_ptr<WorldAt>> worlds = {};

    /// A new part; references to those before it hold.
    Step& part(const std::string& type) {
        if (parts.empty()) parts.reserve(32);
        Step s;
        s.id = type + std::to_string(parts.size());
        s.type = type;
        parts.push_back(s);
        return parts.back();
    }
    static void set(Step& s, const std::string& id, const Value& value) { s.params[id].value = value; }
    void set(const std::string& id, const Value& value) { params[id].value = value; }

    SolverInput at(double frame) {
        worlds.push_back(std::make_unique<WorldAt>(world, frame));
        FieldContext context;
        context.frame = frame, context.rate = rate, context.query = worlds.back().get();
        SolverInput in;
        in.frame = frame, in.rate = rate, in.share = share;
        in.source = source ? source(frame) : Geometry();
        in.params = std::make_shared<const ResolvedParams>(findStepType(step)->params, params, context);
        for (const Step& s : parts) {
            const StepType* type = findStepType(s.type);
            in.parts.push_back(
                {s.id, type, std::make_shared<const ResolvedParams>(type->params, s.params, context),
                 hashOf(*type, s, frame), [type, s, frame, rate = rate](const std::string& id) {
                     const auto sum = paramOr(*findSpec(type->params, id), s.params).sum(frame, rate);
                     return V3d(sum[0], sum[1], sum[2]);
                 }});
        }
        in.query = worlds.back().get();
        in.atRest = [this](const std::string& id) { return WorldAt(world, 1).surface(id); };
        in.partsAt = [this](double then, const std::set<std::string>&) {
            return std::make_shared<const SolverInput>(at(then));
        };
        return in;
    }
    /// Another one at each frame for a part that refers to anything, or takes keys or fields.
    uint64_t hashOf(const StepType& type, const Step& s, double frame) const {
        Hasher h;
        const Stamps stamps{{},
                            [&](const ParamSpec&, const std::string& id) {
                                return id.empty() ? 0 : Hasher().add(frame).value();
                            },
                            rate};
        addParamsToHash(h, type.params, s.params, frame, stamps);
        return h.value();
    }
    const Solver& solver() const { return *findStepType(step)->solver; }

    /// States of the frames 1 to @p last.
    std::vector<SolverState> run(int last) {
        std::vector<SolverState> states;
        SolverInput before = at(1);
        states.push_back(solver().begin(before, Progress::none()));
        for (int f = 2; f <= last; ++f) {
            SolverInput now = at(f);
            states.push_back(solver().advance(states.back(), before, now, Progress::none()));
            before = now;
        }
        return states;
    }
};

}  // namespace ovrix::tests

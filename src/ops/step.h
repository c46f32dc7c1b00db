// How a step is declared: once, in the file that computes it. The card, the scene file, the command line and
// the manual's reference pages are made from this.
#pragma once
#include <functional>

#include "base/progress.h"
#include "field/field.h"
#include "geo/points/elements.h"

namespace ovrix::sim {
class Solver;
}
namespace ovrix::render {
struct PictureWork;
}

namespace ovrix::ops {

/// What a step is for; also its colour.
enum class Phase { Place, Shape, Move, Look };
std::string phaseName(Phase phase);

/// What a step is given.
struct StepInput {
    const Geometry& in;
    const ResolvedParams& params;
    SurfacePtr surface;  ///< what the layer lies on, in world space; null when it lies on nothing
    SurfacePtr rest =
        nullptr;         ///< the same surface at the layer's rest frame: the same one if it stands still
    double share = 1.0;  ///< part of the elements to make, 0 to 1: less than 1 in Draft
    size_t memoryLimit = SIZE_MAX;  ///< bytes that a result may take
    Progress& progress;
    SceneQuery* query = nullptr;                ///< the rest of the scene; null where there is none
    std::vector<std::string>* notes = nullptr;  ///< takes what the artist should know; see note()
    double frame = 1, rate = kUsualRate;
    /// What comes before this step in the recipe at another frame; null where that cannot be had. Throws as
    /// the steps do.
    std::function<Geometry(double frame)> inAt = {};
    bool draft = false;  ///< for the view in Draft
    /// Says something that is no failure: elements that had to be left out, say.
    void note(std::string text) const {
        if (notes && !text.empty()) notes->push_back(std::move(text));
    }
};

/// Which tool of the view writes into a step: single elements into "edits", strands into "combing".
enum class ByHand { No, Elements, Strands };

struct StepType {
    std::string id, title;
    Phase phase = Phase::Shape;
    std::string help;
    GeometryKind takes = GeometryKind::Points, gives = GeometryKind::Points;
    std::vector<ParamSpec> params;
    /// It has kPlaced's mask, which does no more than thin what is placed, by masked(): then what was placed
    /// is kept, and a change of the mask asks only who stays.
    bool masked = false;
    /// What it makes of an element depends on that element alone: thinning may as well come after it.
    bool elementwise = false;
    /// Lays many elements between few: what comes before it is always made whole, Draft thins what it lays.
    bool fills = false;
    /// Parts that may stand in it, by kind: "particles", "strands"; empty for none. See Solver.
    std::string holds = {};
    /// Kinds of steps that it may stand in. Such a step, a force say, is no stage of a recipe: it takes and
    /// gives nothing itself.
    std::vector<std::string> partOf = {};
    /// Parts that a new step of this type comes with.
    std::vector<std::string> startsWith = {};
    /// Of a part: the parameter that means the layer's own surface when it is empty; empty for none.
    std::string ownSurface = {};
    /// Parts that are wanted most: a click each in the window.
    std::vector<std::string> usual = {};
    /// Whether it makes something else in Draft than a part of what it makes in Full; empty for never.
    std::function<bool(const ParamMap&)> followsDraft = {};
    /// How many elements Draft makes of each that Full makes, where that is not the share; 0 where it is.
    std::function<double(const ParamMap&)> draftPart = {};
    /// Whether its result depends on other frames, by StepInput::inAt: what it shows changes with every
    /// frame.
    bool overTime = false;
    /// Whose result at a frame comes from the one before; null for all other steps. Then apply() is not used.
    std::shared_ptr<const sim::Solver> solver = nullptr;
    ByHand byHand = ByHand::No;
    /// Of one that makes strands: how long they get, metres; empty where what it is given says it.
    std::function<double(const ParamMap&)> longest = {};
    /// What a new step starts with where it is not its specs' initial values.
    ParamMap start = {};
    /// Of a step on pictures: changes one. Pure, as apply(), which is not used then.
    std::function<void(render::PictureWork&)> finish = {};
    /// Pure: the same input gives the same bits on any number of threads. Throws Error or Cancelled.
    std::function<Geometry(const StepInput&)> apply;
};

/// Throws an Error with the figure and a way out when @p bytes is more than @p limit.
void requireMemory(double bytes, size_t limit, double elements);

/// "1.2 GB", "340 MB", "12 kB".
std::string byteText(double bytes);

}  // namespace ovrix::ops

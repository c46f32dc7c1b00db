// Handles of the parameters that the document itself, the view and the render read of nodes. What they start
// with and which they are stands with each type, in the room beside.
#pragma once
#include "params/param_table.h"
#include "render/trace/pixel_filter.h"

namespace ovrix::document {

/// Where a node stands, by its parent.
struct PlacementParams {
    PlacementParams(ParamTable& table, Affects affects);
    Handle<V3f> position, rotation, scale;
};

/// The curve that it goes along.
struct PathParams {
    PathParams(ParamTable& table, Affects affects);
    Handle<std::string> path;
    Handle<double> at;
    Handle<bool> turn;
};

/// Random motion without keys.
struct WanderParams {
    WanderParams(ParamTable& table, Affects affects);
    Handle<bool> on;
    Handle<double> move, turn, size, rate;
    Handle<int64_t> seed;
};

/// All that says where a node is.
struct TransformParams {
    explicit TransformParams(ParamTable& table);
    PlacementParams placement;
    PathParams path;
    WanderParams wander;
};

/// What every object has beside its shape.
struct ObjectParams {
    explicit ObjectParams(ParamTable& table);
    Handle<std::string> material;
    Handle<bool> blocks;
    TransformParams transform;
};

/// The handles that all objects have alike; those of lights' places are the same.
extern const struct AnyObjectParams : ParamTable {
    AnyObjectParams();
    ObjectParams object{*this};
    Handle<Refs> slots;  ///< of those from files alone
} kObject;

extern const struct CurveParams : ParamTable {
    CurveParams();
    Handle<CurvePoints> points;
    Handle<bool> closed, round;
    PlacementParams placement;
    WanderParams wander;
} kCurve;

extern const struct CameraParams : ParamTable {
    CameraParams();
    Handle<V3f> position, target;
    Handle<double> roll, focal, film, fstop, focus;
    Handle<std::string> focusOn, focusElement;
    Handle<int64_t> blades;
    Handle<double> bladeTurn, roundness, squeeze, shiftX, shiftY, exposure;
} kCamera;

extern const struct LayerParams : ParamTable {
    LayerParams();
    Handle<std::string> surface, material, showAs;
    Handle<std::string> pointsAs, pointsBy, cut, cutAxis;
    Handle<double> cutAt, cutThickness;
    Handle<V3d> cutFrom, cutTo;
    Handle<bool> showFill, showGuides, showRoots;
    Handle<double> viewShare;
    Handle<int64_t> viewMost;
    Handle<double> thinFrom;
    Handle<std::string> cull;
    Handle<double> cullMargin, rest;
    Handle<bool> warp;
    Handle<double> warpAt;
    Handle<std::string> linked;
} kLayer;

/// A field of the scene that renders keep as a pass.
extern const struct FieldPassParams : ParamTable {
    FieldPassParams();
    Handle<std::string> kind;
    Handle<field::Varying> number;
    Handle<field::VaryingColor> color;
} kFieldPass;

extern const struct RenderParams : ParamTable {
    RenderParams();
    Handle<std::string> camera;
    Handle<int64_t> width, height, samples;
    Handle<double> noise;
    Handle<int64_t> leastSamples, bounces;
    Handle<bool> fireflies;
    Handle<double> limit, roughen;
    Handle<PixelFilter::Kind> filter;
    Handle<double> filterWidth, thinStrands;
    Handle<bool> shareFibreLight;
    Handle<Refs> passes;  ///< see passesChosen()
    Handle<double> occlusionReach;
    Handle<double> shutter;
    Handle<int64_t> shutterSteps;
    Handle<Curve> shutterCurve;
    Handle<bool> transparent;
    Handle<int64_t> seed;
} kRender;

extern const struct SurroundingsParams : ParamTable {
    SurroundingsParams();
    Handle<std::string> background;
    Handle<Color> color;
    Handle<std::string> file, space, fit;
    Handle<double> visibility;
    Handle<Color> fogColor;
    Handle<double> fogBase, fogHeight, fogForward;
} kSurroundings;

extern const struct FinishParams : ParamTable {
    FinishParams();
    Handle<std::string> response;
    Handle<double> contrast, toe, shoulder, desaturation;
    Handle<std::string> screen, configuration, display, view;
} kFinish;

extern const struct SceneParams : ParamTable {
    SceneParams();
    Handle<double> rate;
    Handle<int64_t> first, last, loopFrom, loopTo, preroll;
    Handle<std::string> play;
    Handle<double> simMemory, draft, memory;
} kScene;

}  // namespace ovrix::document

// Steps on what points carry: numbers, colours and vectors by name.
#pragma once
#include "ops/step.h"

namespace ovrix::ops {

/// Whether a step may write a channel of that name: not the ids, turns and bindings that other steps rely on,
/// nor one that is known as something else. Throws Error naming a way out.
/// @param type  as columnTypeName() has it
void requireWritable(const std::string& name, const std::string& type);

struct SetChannelOptions {
    std::string name = "value";
    enum class Kind { Number, Colour, Vector } kind = Kind::Number;
    Varying number = {0, 1, {}};
    VaryingColor color = {};
    std::array<Varying, 3> vector = {};
};
/// A channel of every point as fields say; another one of its name goes.
std::shared_ptr<const PointSet> setChannel(const PointSet& points, const SetChannelOptions& options,
                                           Progress& progress);

/// Each point along a vector that it carries, or by a number along its normal, metres for 1. @p amount is a
/// factor. Throws Error where there is no such channel.
std::shared_ptr<const PointSet> moveByChannel(const PointSet& points, const std::string& channel,
                                              const Varying& amount, Progress& progress);

struct SmoothChannelOptions {
    std::string channel = "value";
    float radius = 0.1f;  ///< metres
    int rounds = 1;
    Varying strength = {0, 1, {}};
};
/// Numbers, colours and vectors move towards the mean of those about them, nearer ones counting more: by
/// 1 - d^2 / r^2. Of a place where very many lie 64 count. Throws Error where there is no such channel.
std::shared_ptr<const PointSet> smoothChannel(const PointSet& points, const SmoothChannelOptions& options,
                                              Progress& progress);

/// Points without those that a chance of 0 to 1 takes out, which stays with each by its id.
std::shared_ptr<const PointSet> deleteBy(const PointSet& points, const Varying& chance, uint64_t seed,
                                         Progress& progress);

/// In the order of a number, the least first; equal ones stay in theirs. What is no number comes last.
std::shared_ptr<const PointSet> sortedBy(const PointSet& points, const Varying& key, bool backward,
                                         Progress& progress);

/// Without those that lie nearer than a distance to one that stays: of two the one with the lower id stays.
std::shared_ptr<const PointSet> mergedNear(const PointSet& points, float distance, Progress& progress);

StepType setChannelStep();
StepType moveByStep();
StepType smoothChannelStep();
StepType deleteByStep();
StepType sortByStep();
StepType mergeNearStep();

}  // namespace ovrix::ops

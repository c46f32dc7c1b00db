// What would surprise the artist, with a way to see it and, where it can, to mend it.
#pragma once
#include <functional>

#include "eval/evaluator.h"

namespace ovrix::eval {

enum class Severity { Note, Warning, Error };

/// How a layer of points is seen as a cloud.
struct CloudSummary {
    std::string layer, material;  ///< ids; the latter may be empty
    double points = 0;            ///< about how many
    double thickness = 0;         ///< metres that its matter is thick
    double depth = 0;             ///< optical, to the eye; 0 for unknown
};

struct Check {
    Severity severity = Severity::Warning;
    std::string text;        ///< what is so, and what it means
    std::string node, step;  ///< where; may be empty
    std::string fixTitle;    ///< empty when there is no fix
    std::function<Document(const Document&)> fix;
    std::shared_ptr<const CloudSummary> cloud = nullptr;  ///< of a note that sums one up
};

/// Results of layers that are at hand already, by layer id; others are not looked into.
using LayerResults = std::map<std::string, LayerResult>;

/// Looks through the whole document. Reads files through the evaluator's caches. Throws Cancelled.
std::vector<Check> findChecks(const SceneContext& scene, const LayerResults& layers, Evaluator& evaluator,
                              double frame, Progress& progress);

std::string severityName(Severity severity);

}  // namespace ovrix::eval

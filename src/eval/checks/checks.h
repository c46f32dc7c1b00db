// What would surprise the artist, with a way to see it and, where it can, to mend it.
#pragma once
#include <functional>

#include "eval/evaluator.h"

namespace ovrix::eval {

enum class Severity { Note, Warning, Error };

struct Check {
    Severity severity = Severity::Warning;
    std::string text;        ///< what is so, and what it means
    std::string node, step;  ///< where; may be empty
    std::string fixTitle;    ///< empty when there is no fix
    std::function<Document(const Document&)> fix;
};

/// Results of layers that are at hand already, by layer id; others are not looked into.
using LayerResults = std::map<std::string, LayerResult>;

/// Looks through the whole document. Reads files through the evaluator's caches. Throws Cancelled.
std::vector<Check> findChecks(const SceneContext& scene, const LayerResults& layers, Evaluator& evaluator,
                              double frame, Progress& progress);

std::string severityName(Severity severity);

}  // namespace ovrix::eval

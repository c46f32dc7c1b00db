// What several commands that take a scene and frames share.
#pragma once
#include <nlohmann/json.hpp>

#include "eval/evaluator.h"

namespace ovrix::cli {

struct Common;
using Json = nlohmann::ordered_json;

/// Names of files need not be UTF-8; what is written is.
std::string jsonText(const Json& json, int indent = 2);

/// A scene opened for evaluation.
struct Opened {
    SceneContext scene;
    Evaluator evaluator;
    /// Throws Error.
    explicit Opened(const std::string& file);
};

/// What the steps of the finish have to say, on standard error.
void tellFinish(const Common& common, const Document& document, const std::vector<StepReport>& steps);

/// #### becomes the frame with as many digits. Throws Error where several frames have one name.
std::string frameName(const std::string& pattern, int frame, bool several);

/// So many whole numbers with @p by between them. Throws Error that says what was @p wanted.
std::vector<int> numbersIn(const std::string& text, char by, size_t count, const char* wanted);
/// "1280x720"; 0 and 0 for no text. Throws Error.
std::pair<int, int> sizeIn(const std::string& text);
/// "1-24"; frames may be below zero. Throws Error.
std::pair<int, int> framesIn(const std::string& text);

}  // namespace ovrix::cli

// What several commands that take a scene and frames share.
#pragma once
#include <nlohmann/json.hpp>

#include "eval/evaluator.h"

namespace ovrix::cli {

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

/// #### becomes the frame with as many digits. Throws Error where several frames have one name.
std::string frameName(const std::string& pattern, int frame, bool several);

/// "1-24"; frames may be below zero. Throws Error.
std::pair<int, int> framesIn(const std::string& text);

}  // namespace ovrix::cli

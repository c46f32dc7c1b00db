// The scene file: NAME.ovrix, JSON in UTF-8. docs/scene-format.md describes it.
#pragma once
#include <filesystem>
#include <functional>

#include "document/model/document.h"

namespace ovrix::document {

inline constexpr int kSceneVersion = 9;

/// The text of a document: keys in a fixed order, two-space indent, so that it diffs well and writing what
/// was read gives the same bytes.
std::string writeScene(const Document& document);

/// The document in a text. Files of older versions are brought up to date. Throws Error with the place and
/// what to do; unknown keys are kept. @p name stands in messages.
Document readScene(const std::string& text, const std::string& name = "scene");

/// Brings a scene's JSON from one version to the next. The table holds one entry per older version, in order.
using Migration = std::function<void(nlohmann::ordered_json&)>;
const std::vector<Migration>& sceneMigrations();
/// Applies what is missing and sets "version". Throws Error on a version that is no number or too new.
void migrateScene(nlohmann::ordered_json& scene, const std::vector<Migration>& table,
                  const std::string& name);

/// Reads and writes files; writing is atomic. Paths inside are relative to the file.
Document loadScene(const std::filesystem::path& path);
void saveScene(const Document& document, const std::filesystem::path& path);

/// The document with every relative file path turned from folder @p from to folder @p to.
Document rebasePaths(const Document& document, const std::filesystem::path& from,
                     const std::filesystem::path& to);

/// One parameter to and from JSON.
nlohmann::ordered_json paramToJson(const ParamSpec& spec, const Param& param);
/// Throws Error when the JSON does not hold what the spec says.
Param paramFromJson(const ParamSpec& spec, const nlohmann::ordered_json& json);
nlohmann::ordered_json valueToJson(const Value& value);
Value valueFromJson(const ParamSpec& spec, const nlohmann::ordered_json& json);

}  // namespace ovrix::document

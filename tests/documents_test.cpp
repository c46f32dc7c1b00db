// What the documents say of the program, against the program.
#include <filesystem>
#include <regex>
#include <set>

#include "base/files.h"
#include "cli/reference.h"
#include "document/model/node_types.h"
#include "document/model/step_registry.h"
#include "field/field.h"
#include "ops/step.h"
#include "support.h"

using namespace ovrix::deliver;
namespace fs = std::filesystem;

namespace {

const fs::path kRoot = OVRIX_SOURCE_DIR;

std::vector<std::string> found(const std::string& text, const std::string& pattern) {
    const std::regex regex(pattern);
    std::vector<std::string> all;
    for (std::sregex_iterator it(text.begin(), text.end(), regex), end; it != end; ++it)
        all.push_back((*it)[1]);
    return all;
}

std::vector<fs::path> documents() {
    std::vector<fs::path> all{kRoot / "README.md", kRoot / "CONTRIBUTING.md", kRoot / "CHANGELOG.md"};
    for (const auto& entry : fs::recursive_directory_iterator(kRoot / "docs"))
        if (entry.path().extension() == ".md") all.push_back(entry.path());
    return all;
}

}  // namespace

TEST_CASE("the table of values holds every type, and none that is not there", "[documents]") {
    const std::string text = readFile(kRoot / "docs/scene-format.md");
    const size_t begin = text.find("| type | JSON |"), end = text.find("\n\n", begin);
    REQUIRE(end != std::string::npos);
    std::set<std::string> told, known;
    for (const std::string& first : found(text.substr(begin + 15, end - begin - 15), "\n\\| ([a-z, ]+) \\|"))
        for (const std::string& name : found(first, "([a-z]+)")) told.insert(name);
    const auto add = [&](const auto& types) {
        for (const auto& type : types)
            for (const ParamSpec& spec : type.params) known.insert(typeName(spec.type));
    };
    add(stepTypes());
    add(sourceTypes());
    add(nodeTypes());
    CHECK(told == known);
}

TEST_CASE("the reference is what the program declares", "[documents]") {
    std::set<std::string> pages;
    for (const ovrix::cli::Page& page : ovrix::cli::referencePages()) {
        INFO(page.file << ": ./dev docs renews it");
        CHECK(readFile(kRoot / "docs/reference" / page.file) == page.text);
        pages.insert(page.file);
    }
    for (const auto& entry : fs::directory_iterator(kRoot / "docs/reference"))
        CHECK(pages.count(entry.path().filename().string()));
    // Each is in one of them, with its parameters.
    const auto held = [&](const char* page, const auto& type) {
        const std::string text = readFile(kRoot / "docs/reference" / page);
        CHECK(text.find("## " + type.title + "\n\n`" + type.id + "`") != std::string::npos);
        for (const ParamSpec& s : type.params) CHECK(text.find("| `" + s.id + "` |") != std::string::npos);
    };
    for (const StepType& t : stepTypes())
        held(t.finish ? "finish.md" : t.partOf.empty() ? "steps.md" : "parts.md", t);
    for (const SourceType& t : sourceTypes()) held("sources.md", t);
    for (const NodeType& t : nodeTypes()) held("nodes.md", t);
}

TEST_CASE("what the documents link to is there", "[documents]") {
    size_t links = 0;
    for (const fs::path& document : documents())
        for (const std::string& link : found(readFile(document), "\\]\\(([^)# ]+)[^)]*\\)")) {
            if (link.find("://") != std::string::npos) continue;
            INFO(document.string() << " links to " << link);
            CHECK(fs::exists(document.parent_path() / link));
            ++links;
        }
    CHECK(links > 20);  // or the test looks in the wrong place
}

TEST_CASE("every picture of the documents is shown by one of them", "[documents]") {
    std::string all;
    for (const fs::path& document : documents()) all += readFile(document);
    for (const auto& entry : fs::directory_iterator(kRoot / "docs/screenshots")) {
        INFO(entry.path().string());
        CHECK(all.find(entry.path().filename().string()) != std::string::npos);
    }
}

// What puts the demo's documents together.
#pragma once
#include "document/edits/edits.h"

namespace ovrix::demo {

using namespace deliver;

/// Puts a document together; every value goes through the same edits as in the program.
class Maker {
  public:
    Document document = Document::fresh();
    std::filesystem::path folder;

    void set(const std::string& path, const std::string& text) { document = withText(document, path, text); }
    void set(const std::string& at, const std::vector<std::pair<const char*, const char*>>& values) {
        for (const auto& [param, text] : values) set(at + "/" + param, text);
    }
    /// One more step of the picture's finish.
    void finish(const char* type, const std::vector<std::pair<const char*, const char*>>& values);
    std::string add(const std::string& type, const std::string& name);
    std::string mesh(const std::string& name, const MeshPtr& mesh, const std::string& material, bool stands);
    /// A material whose colour runs from one to another where a field goes from 0 to 1.
    std::string material(const std::string& name, const Color& low, const Color& high,
                         std::vector<FieldSource> sources, double roughness);
    std::string layer(const std::string& name, const std::string& surface, PrototypeMix prototypes,
                      int64_t count, int64_t seed, Range size, double favourSmall,
                      std::vector<FieldSource> mask, double upright, double lift);
    /// A layer of the named steps, in that order.
    std::string recipe(const std::string& name, const std::string& surface, const std::string& material,
                       const std::vector<const char*>& steps);
    void drive(const std::string& path, std::vector<FieldSource> sources, const Value& low,
               const Value& high);
};

FieldSource noise(double size, int64_t seed, double contrast, int64_t octaves = 3);
/// 1 between two heights, with soft edges: where an animal lives above the sand and below the dry rock.
FieldSource heightBand(double from, double to, double soft);
FieldSource slope(double from, double to, double soft);
FieldSource perElement(int64_t seed);
FieldSource blended(FieldSource s, Blend blend, double strength = 1.0);
FieldSource inverted(FieldSource s);
/// How sheltered a place is: barnacles and dirt sit in cracks.
FieldSource shelter(double reach, int64_t rays);
FieldSource awayFrom(const Refs& things, Range between);

}  // namespace ovrix::demo

#include "materials.h"

#include "document/library/material_file.h"
#include "maker.h"

namespace ovrix::demo {

namespace {

using Values = std::vector<std::pair<const char*, const char*>>;

/// Makes one material after another from the same few edits.
class Shelf {
  public:
    explicit Shelf(std::filesystem::path folder) : folder_(std::move(folder)) {
        std::filesystem::create_directories(folder_);
    }
    void begin(const std::string& type, const std::string& name, const Values& values) {
        m_ = Maker();
        name_ = name;
        id_ = m_.add(type, name);
        m_.set(id_, values);
    }
    void begin(const std::string& name, const Values& values) { begin("surface", name, values); }
    /// Another that lies over it.
    std::string over(const std::string& name, const Values& values) {
        const std::string upper = m_.add("surface", name);
        m_.set(upper, values);
        m_.set(id_ + "/over", upper);
        return upper;
    }
    void colors(const std::string& param, const Color& low, const Color& high,
                std::vector<FieldSource> sources) {
        m_.drive(id_ + "/" + param, std::move(sources), low, high);
    }
    void numbers(const std::string& param, double low, double high, std::vector<FieldSource> sources) {
        m_.drive(id_ + "/" + param, std::move(sources), low, high);
    }
    void save(const std::string& about) {
        PartsFile file = materialFileOf(m_.document, id_, folder_);
        file.about = about;
        std::string stem;
        for (const char c : name_) stem += std::isalnum(uint8_t(c)) ? char(std::tolower(uint8_t(c))) : '_';
        writeFile(folder_ / (stem + ".material"), writeParts(file, kMaterials));
    }

  private:
    std::filesystem::path folder_;
    Maker m_;
    std::string id_, name_;
};

FieldSource with(const std::string& type, const std::vector<std::pair<const char*, Value>>& values) {
    FieldSource s = makeSource(type);
    for (const auto& [param, value] : values) s.params[param].value = value;
    return s;
}

FieldSource ridges(double size) {
    return with("curvature", {{"side", std::string("ridges")}, {"size", size}});
}
FieldSource rim() { return makeSource("toward_eye"); }

void stones(Shelf& s) {
    s.begin("Dry rock", {{"specular_roughness", "0.75"}, {"base_diffuse_roughness", "0.4"}});
    s.colors("base_color", Color(0.09f, 0.08f, 0.075f), Color(0.36f, 0.33f, 0.29f), {noise(0.3, 3, 1.6, 5)});
    s.numbers("geometry_bump", 0, 0.012, {noise(0.06, 5, 1.2, 5)});
    s.save("Weathered stone, paler where noise says");

    s.begin("Wet rock", {{"specular_roughness", "0.5"}, {"coat_ior", "1.33"}, {"coat_roughness", "0.06"}});
    s.colors("base_color", Color(0.05f, 0.047f, 0.045f), Color(0.2f, 0.18f, 0.15f), {noise(0.25, 3, 1.6, 5)});
    s.numbers("geometry_bump", 0, 0.008, {noise(0.06, 5, 1.2, 5)});
    s.numbers("coat_weight", 0.35, 1, {noise(0.4, 9, 2.0)});
    s.save("The same under a film of water, here more and there less");

    s.begin("Mossy rock", {{"specular_roughness", "0.7"}});
    s.colors("base_color", Color(0.1f, 0.09f, 0.08f), Color(0.3f, 0.28f, 0.25f), {noise(0.3, 4, 1.6, 5)});
    s.numbers("geometry_bump", 0, 0.01, {noise(0.06, 5, 1.2, 4)});
    s.over("Moss", {{"base_color", "0.07,0.12,0.02"},
                    {"specular_roughness", "0.9"},
                    {"fuzz_weight", "0.7"},
                    {"fuzz_color", "0.35,0.5,0.12"},
                    {"geometry_bump", "0.02"}});
    s.numbers("over_weight", 0, 1, {slope(0, 55, 40), blended(noise(0.18, 8, 2.2, 4), Blend::Multiply)});
    s.save("Moss lies where it is level enough");

    s.begin("Sand", {{"specular_roughness", "0.85"}, {"base_diffuse_roughness", "0.6"}});
    s.colors("base_color", Color(0.33f, 0.25f, 0.16f), Color(0.62f, 0.51f, 0.36f), {noise(0.012, 2, 1.4, 3)});
    s.numbers("geometry_bump", 0, 0.0025, {noise(0.008, 5, 1.2, 3)});
    s.save("Fine and dry");

    s.begin("Chalk", {{"base_color", "0.86,0.85,0.81"},
                      {"base_diffuse_roughness", "1"},
                      {"specular_weight", "0.2"},
                      {"specular_roughness", "0.9"}});
    s.numbers("geometry_bump", 0, 0.003, {noise(0.02, 2, 1.0, 5)});
    s.save("White, dusty, without shine");
}

void clearOnes(Shelf& s) {
    s.begin("Glass", {{"transmission_weight", "1"},
                      {"specular_roughness", "0"},
                      {"specular_ior", "1.5"},
                      {"transmission_dispersion_scale", "0.4"}});
    s.save("Clear, with a little dispersion");

    s.begin("Bottle glass", {{"transmission_weight", "1"},
                             {"specular_roughness", "0.02"},
                             {"specular_ior", "1.52"},
                             {"transmission_color", "0.25,0.6,0.42"},
                             {"transmission_depth", "0.25"}});
    s.numbers("geometry_bump", 0, 0.004, {noise(0.25, 2, 1.0, 2)});
    s.save("Sea green in its depth, and not quite even");

    s.begin("Frosted glass", {{"transmission_weight", "1"},
                              {"specular_roughness", "0.35"},
                              {"specular_ior", "1.5"},
                              {"transmission_color", "0.9,0.97,0.97"},
                              {"transmission_depth", "0.5"}});
    s.save("Tumbled by the sea");

    s.begin("Water", {{"transmission_weight", "1"},
                      {"specular_roughness", "0"},
                      {"specular_ior", "1.33"},
                      {"transmission_color", "0.45,0.78,0.8"},
                      {"transmission_depth", "2"}});
    s.numbers("geometry_bump", 0, 0.01, {noise(0.2, 2, 1.0, 3)});
    s.save("A pool's: its colour comes with depth");

    s.begin("Soap film", {{"transmission_weight", "1"},
                          {"geometry_thin_walled", "true"},
                          {"specular_roughness", "0"},
                          {"specular_ior", "1.33"},
                          {"thin_film_weight", "1"},
                          {"thin_film_ior", "1.33"}});
    s.numbers("thin_film_thickness", 0.15, 0.75, {noise(0.6, 4, 1.2, 4)});
    s.save("Colours of a film whose thickness runs");
}

void metals(Shelf& s) {
    s.begin("Brass",
            {{"base_metalness", "1"}, {"base_color", "0.86,0.62,0.27"}, {"specular_roughness", "0.22"}});
    s.numbers("specular_roughness", 0.14, 0.4, {noise(0.3, 3, 1.5, 4)});
    s.over(
        "Verdigris",
        {{"base_color", "0.16,0.36,0.3"}, {"specular_roughness", "0.9"}, {"base_diffuse_roughness", "0.8"}});
    s.numbers("over_weight", 0, 0.9,
              {with("curvature", {{"side", std::string("hollows")}, {"size", 0.25}}),
               blended(noise(0.15, 8, 2.4, 4), Blend::Screen, 0.35)});
    s.save("Polished, with verdigris in its hollows");

    s.begin("Brushed steel", {{"base_metalness", "1"},
                              {"base_color", "0.62,0.62,0.63"},
                              {"specular_roughness", "0.35"},
                              {"specular_roughness_anisotropy", "0.8"}});
    s.save("Its grain runs along the texture");

    s.begin("Worn paint", {{"base_color", "0.05,0.16,0.23"},
                           {"specular_roughness", "0.3"},
                           {"coat_weight", "0.4"},
                           {"coat_roughness", "0.2"}});
    s.over("Bare metal",
           {{"base_metalness", "1"}, {"base_color", "0.55,0.54,0.52"}, {"specular_roughness", "0.35"}});
    s.numbers("over_weight", 0, 1, {ridges(0.15), blended(noise(0.05, 6, 2.4, 4), Blend::Multiply)});
    s.save("Metal shows where edges are worn");
}

void living(Shelf& s) {
    s.begin("Wax", {{"base_color", "0.85,0.75,0.5"},
                    {"subsurface_weight", "1"},
                    {"subsurface_color", "0.9,0.76,0.48"},
                    {"subsurface_radius", "0.12"},
                    {"subsurface_radius_scale", "1,0.6,0.3"},
                    {"specular_roughness", "0.4"}});
    s.save("Light goes deep and comes back warm");

    s.begin("Anemone flesh", {{"base_color", "0.6,0.12,0.16"},
                              {"subsurface_weight", "0.9"},
                              {"subsurface_color", "0.85,0.3,0.3"},
                              {"subsurface_radius", "0.08"},
                              {"specular_roughness", "0.25"},
                              {"coat_weight", "0.7"},
                              {"coat_ior", "1.33"}});
    s.save("Soft and wet");

    s.begin("Kelp", {{"base_color", "0.13,0.09,0.02"},
                     {"translucency", "0.45"},
                     {"specular_roughness", "0.3"},
                     {"coat_weight", "0.6"},
                     {"coat_roughness", "0.1"},
                     {"coat_ior", "1.33"}});
    s.colors("base_color", Color(0.09f, 0.055f, 0.01f), Color(0.24f, 0.19f, 0.04f), {noise(0.2, 3, 1.4, 3)});
    s.numbers("geometry_bump", 0, 0.004, {noise(0.08, 5, 1.0, 3)});
    s.save("A wet blade that light shines through");

    s.begin("Shell", {{"specular_roughness", "0.3"},
                      {"coat_weight", "0.9"},
                      {"coat_roughness", "0.05"},
                      {"thin_film_weight", "0.5"},
                      {"thin_film_ior", "1.6"}});
    s.colors("base_color", Color(0.5f, 0.3f, 0.2f), Color(0.88f, 0.8f, 0.7f), {noise(0.25, 7, 2.2, 3)});
    s.numbers("thin_film_thickness", 0.25, 0.55, {noise(0.5, 4, 1.2, 2)});
    s.save("Banded, glossy, with mother-of-pearl");

    s.begin(
        "fibre", "Fur",
        {{"melanin", "0.35"}, {"melanin_range", "0.12"}, {"roughness", "0.35"}, {"roughness_around", "0.4"}});
    s.save("Soft brown, each hair its own");

    s.begin("fibre", "Hair",
            {{"melanin", "0.6"},
             {"redness", "0.3"},
             {"melanin_range", "0.08"},
             {"grey", "0.03"},
             {"roughness", "0.22"},
             {"roughness_around", "0.3"}});
    s.save("Dark, glossy, with a few grey ones");

    s.begin("fibre", "Wool",
            {{"coloured", "colour"},
             {"base", "0.78,0.74,0.66"},
             {"roughness", "0.6"},
             {"roughness_around", "0.7"}});
    s.save("Pale and matt");

    s.begin("Felt", {{"base_color", "0.19,0.05,0.06"},
                     {"base_diffuse_roughness", "0.8"},
                     {"specular_weight", "0.1"},
                     {"fuzz_weight", "0.8"},
                     {"fuzz_color", "0.7,0.35,0.35"},
                     {"fuzz_roughness", "0.6"}});
    s.numbers("geometry_bump", 0, 0.004, {noise(0.03, 5, 1.2, 4)});
    s.save("Short fibres stand up from it");
}

void glowing(Shelf& s) {
    s.begin("Neon", {{"base_color", "0.02,0.02,0.02"},
                     {"emission_color", "1,0.16,0.28"},
                     {"emission_luminance", "240"},
                     {"specular_roughness", "0.1"}});
    s.save("A tube that glows red; it lights what stands near");

    s.begin(
        "Plankton",
        {{"base_color", "0.02,0.05,0.08"}, {"emission_color", "0.12,0.75,1"}, {"emission_luminance", "60"}});
    s.numbers("emission_luminance", 3, 60, {makeSource("random")});
    s.save("Each glows by another strength");
}

void drawn(Shelf& s) {
    s.begin("line_art", "Ink",
            {{"shading", "steps"},
             {"steps", "2"},
             {"light_color", "0.92,0.89,0.82"},
             {"shadow_color", "0.16,0.17,0.22"},
             {"edge", "0.18"},
             {"contour_width", "5"}});
    s.save("Paper, shadow and a bold line");

    s.begin("line_art", "Gouache",
            {{"shading", "steps"},
             {"steps", "4"},
             {"light_color", "0.8,0.42,0.24"},
             {"shadow_color", "0.12,0.06,0.14"},
             {"softness", "0.03"},
             {"highlight", "1"},
             {"highlight_size", "10"},
             {"highlight_colored", "lighter"},
             {"rim", "0.7"},
             {"rim_color", "0.98,0.7,0.5"},
             {"rim_width", "0.22"},
             {"contour_colored", "darkened"},
             {"contour_width", "3"}});
    s.save("Flat tones with a highlight and a rim");

    s.begin("line_art", "Print",
            {{"shading", "flat"},
             {"light_color", "0.05,0.19,0.24"},
             {"contour_width", "4"},
             {"contour_elements", "true"},
             {"contour_color", "0.93,0.9,0.83"}});
    s.numbers("contour_width", 5, 0.6, {makeSource("along_strand")});
    s.save("One ink; pale lines part strands and taper to their tips");

    s.begin("Porcelain", {{"base_color", "0.83,0.84,0.82"},
                          {"specular_roughness", "0.12"},
                          {"coat_weight", "1"},
                          {"coat_roughness", "0.02"},
                          {"subsurface_weight", "0.3"},
                          {"subsurface_color", "0.9,0.9,0.86"},
                          {"subsurface_radius", "0.02"}});
    s.save("Under a clear glaze");

    s.begin("Velvet", {{"base_color", "0.03,0.02,0.09"},
                       {"specular_weight", "0"},
                       {"fuzz_weight", "1"},
                       {"fuzz_color", "0.45,0.4,0.85"},
                       {"fuzz_roughness", "0.35"}});
    s.numbers("fuzz_weight", 0.5, 1, {rim()});
    s.save("Dark in front, bright at its rim");
}

}  // namespace

void writeMaterials(const std::filesystem::path& folder) {
    Shelf s(folder);
    stones(s), clearOnes(s), metals(s), living(s), glowing(s), drawn(s);
}

}  // namespace ovrix::demo

#include "recipes.h"

#include "document/edits/edits.h"
#include "document/library/recipe_file.h"

namespace ovrix::demo {

namespace {

/// Makes one recipe after another from the same few edits.
class Kitchen {
  public:
    explicit Kitchen(std::filesystem::path folder) : folder_(std::move(folder)) {
        std::filesystem::create_directories(folder_);
    }

    void begin() { d_ = Document::fresh(); }
    std::string add(const std::string& type, const std::string& name) {
        Node n = makeNode(d_, type, name);
        d_.put(n);
        return n.id;
    }
    void set(const std::string& path, const std::string& text) { d_ = withText(d_, path, text); }
    void set(const std::string& at, const std::vector<std::pair<const char*, const char*>>& values) {
        for (const auto& [param, text] : values) set(at + "/" + param, text);
    }
    std::string material(const std::string& name, const Color& dark, const Color& light,
                         const char* roughness) {
        const std::string id = add("surface", name);
        Param base;
        base.value = light;
        base.low = dark;
        FieldSource own = makeSource("random"), grain = makeSource("noise");
        own.blend = Blend::Replace;
        grain.params["size"].value = 0.03;
        grain.strength.value = 0.5;
        base.field = std::make_shared<Field>(Field{{own, grain}});
        d_ = withParam(d_, {id, "", "base_color"}, base);
        set(id + "/specular_roughness", roughness);
        return id;
    }
    /// A ball made rough by its own recipe.
    std::string stone(const std::string& name, const std::string& material, const char* size,
                      const char* seed) {
        const std::string id = add("sphere", name);
        set(id, {{"radius", "0.03"}, {"segments", "40"}, {"scale", size}});
        set(id + "/material", material);
        Step rough = makeStep("displace", d_.get(id));
        FieldSource noise = makeSource("noise");
        noise.params["size"].value = 0.045;
        noise.params["octaves"].value = int64_t(4);
        noise.params["seed"].value = int64_t(std::stoi(seed));
        rough.params["by"].value = 0.009;
        rough.params["by"].low = -0.009;
        rough.params["by"].field = std::make_shared<Field>(Field{{noise}});
        d_ = withStep(d_, id, 0, std::move(rough));
        return id;
    }
    std::string blade(const std::string& name, const std::string& material,
                      const std::vector<std::pair<const char*, const char*>>& values) {
        const std::string id = add("blade", name);
        set(id, values);
        set(id + "/material", material);
        return id;
    }
    /// A layer that spreads the prototypes a distance apart.
    std::string spread(const PrototypeMix& prototypes, const char* distance, const char* between) {
        const std::string ground = add("plane", "Ground");
        d_ = withLayer(d_, ground, prototypes[0].ref, &layer_);
        d_ = withValue(d_, {layer_, "copies_of", "prototypes"}, prototypes);
        d_ = withStepReplaced(d_, layer_, "scatter", "spread");
        set(layer_, {{"spread/distance", distance}, {"vary_size/between", between}});
        return layer_;
    }
    void insert(const std::string& type, size_t place) {
        d_ = withStep(d_, layer_, place, makeStep(type, d_.get(layer_)));
    }
    /// Lets patches come and go.
    void patches(double size, double contrast) {
        FieldSource noise = makeSource("noise");
        noise.params["size"].value = size;
        noise.params["contrast"].value = contrast;
        d_ = withField(d_, {layer_, "spread", "mask"}, std::make_shared<Field>(Field{{noise}}));
    }
    /// A layer of strands on a ball, in a look of their own, with these steps after the guides' scatter.
    std::string strands(const std::string& look, const std::vector<const char*>& steps) {
        begin();
        const std::string ball = add("sphere", "Ground"), material = add("fibre", look);
        set(ball, {{"radius", "0.1"}, {"segments", "64"}});
        Node layer = makeNode(d_, "layer", "Strands");
        layer.params["surface"].value = ball;
        layer.params["material"].value = material;
        for (const char* step : steps) layer.steps.push_back(makeStep(step, layer));
        layer_ = layer.id;
        d_.put(std::move(layer));
        return material;
    }
    /// Values of the step at a place of the recipe.
    void step(size_t place, const std::vector<std::pair<const char*, const char*>>& values) {
        set(layer_ + "/" + d_.get(layer_).steps[place].id, values);
    }
    void save(const std::string& name, const std::string& about) {
        RecipeFile recipe = recipeOfLayer(d_, layer_, folder_);
        recipe.name = name;
        recipe.about = about;
        std::string file;
        for (const char c : name) file += c == ' ' ? '_' : char(std::tolower(uint8_t(c)));
        saveRecipe(recipe, folder_ / (file + ".recipe"));
    }

  private:
    std::filesystem::path folder_;
    Document d_;
    std::string layer_;
};

void stones(Kitchen& k) {
    k.begin();
    std::string look = k.material("Pebble", Color(0.06f, 0.06f, 0.065f), Color(0.38f, 0.35f, 0.31f), "0.5");
    k.spread({{k.stone("Pebble, flat", look, "1,0.55,0.85", "3"), 0.6},
              {k.stone("Pebble, round", look, "0.8,0.7,0.8", "8"), 0.4}},
             "0.026", "0.3..1");
    k.save("Pebble bed", "Worn stones of many sizes that lie close and never through each other's middle");

    k.begin();
    look = k.material("Cobble", Color(0.09f, 0.085f, 0.08f), Color(0.27f, 0.25f, 0.23f), "0.6");
    const std::string cobble = k.stone("Cobble", look, "1.15,0.6,1.15", "5");
    const std::string layer = k.spread({{cobble, 1}}, "0.07", "0.9..1.06");
    k.set(layer, {{"copies_of/lift", "-0.006"}, {"orient/tilt", "0..4"}});
    k.save("Cobbles", "Sets of even size, pressed into the ground");
}

void plants(Kitchen& k) {
    k.begin();
    std::string look = k.material("Grass", Color(0.03f, 0.075f, 0.015f), Color(0.17f, 0.26f, 0.06f), "0.4");
    k.set(look + "/translucency", "0.4");
    std::string layer = k.spread({{k.blade("Tuft, upright", look,
                                           {{"height", "0.11"},
                                            {"width", "0.004"},
                                            {"blades", "11"},
                                            {"spread", "0.014"},
                                            {"bend", "45"},
                                            {"wave", "10"}}),
                                   0.65},
                                  {k.blade("Tuft, bent", look,
                                           {{"height", "0.09"},
                                            {"width", "0.005"},
                                            {"blades", "8"},
                                            {"spread", "0.018"},
                                            {"bend", "95"},
                                            {"curl", "35"},
                                            {"seed", "6"}}),
                                   0.35}},
                                 "0.018", "0.6..1.2");
    k.insert("vary_color", 3);
    k.set(layer, {{"vary_color/hue", "-9..12"}, {"orient/to_up", "0.7"}});
    k.save("Short grass", "Two kinds of tufts, each a little different in size and hue");

    k.begin();
    look = k.material("Reed", Color(0.12f, 0.11f, 0.03f), Color(0.32f, 0.30f, 0.10f), "0.45");
    k.set(look + "/translucency", "0.3");
    layer = k.spread({{k.blade("Reeds", look,
                               {{"height", "0.9"},
                                {"width", "0.014"},
                                {"blades", "5"},
                                {"spread", "0.05"},
                                {"bend", "24"},
                                {"curl", "10"},
                                {"twist", "60"}}),
                       1}},
                     "0.09", "0.55..1.15");
    k.patches(0.9, 3.0);
    k.insert("vary_color", 3);
    k.set(layer, {{"vary_color/hue", "-10..18"}, {"orient/to_up", "1"}});
    k.save("Reed stand", "Tall blades in groups, upright whatever the ground does");

    k.begin();
    look = k.material("Leaf", Color(0.16f, 0.045f, 0.012f), Color(0.45f, 0.23f, 0.045f), "0.55");
    k.set(look + "/translucency", "0.35");
    layer = k.spread({{k.blade("Leaf", look,
                               {{"height", "0.09"},
                                {"width", "0.045"},
                                {"profile", R"({"points": [[0, 0.1], [0.45, 1], [1, 0]]})"},
                                {"bend", "35"},
                                {"curl", "25"},
                                {"fold", "0.3"},
                                {"segments", "12"},
                                {"rotation", "78,0,0"}}),
                       1}},
                     "0.045", "0.6..1.15");
    k.insert("vary_color", 3);
    k.set(layer, {{"vary_color/hue", "-14..20"}, {"orient/tilt", "0..24"}, {"copies_of/lift", "0.003"}});
    k.save("Fallen leaves", "Flat leaves in autumn colours, thrown down at random");

    k.begin();
    look = k.material("Moss", Color(0.025f, 0.05f, 0.008f), Color(0.13f, 0.19f, 0.03f), "0.85");
    layer = k.spread({{k.stone("Cushion", look, "1.2,0.6,1.2", "12"), 1}}, "0.034", "0.35..1.1");
    k.patches(0.28, 2.6);
    k.set(layer, {{"copies_of/lift", "-0.004"}, {"orient/to_up", "0"}});
    k.save("Moss cushions", "Soft mounds that grow together in patches");
}

const char* const kTight = R"({"points": [[0, 0], [0.3, 0.35], [1, 0.95]], "smooth": true})";
const char* const kSoft = R"({"points": [[0, 0], [0.5, 0.2], [1, 0.6]], "smooth": true})";

void furs(Kitchen& k) {
    std::string look = k.strands("Short fur", {"scatter", "grow", "fill", "clump", "frizz", "strand_width"});
    k.set(look, {{"melanin", "0.3"}, {"redness", "0.2"}, {"roughness_around", "0.4"}});
    k.step(0, {{"count", "500"}});
    k.step(
        1,
        {{"length", "0.008..0.012"}, {"segments", "6"}, {"lean", "48"}, {"bend", "12"}, {"scatter", "0.12"}});
    k.step(2, {{"amount", "density"}, {"density", "700000"}});
    k.step(3, {{"size", "0.003"}, {"along", kSoft}, {"stray", "0.1"}});
    k.step(4, {{"amplitude", "0.0004"}, {"bends", "2"}});
    k.step(5, {{"root", "0.12"}, {"tip", "0.02"}, {"variation", "0.3"}});
    k.save("Short fur", "Dense and close, laid one way, with soft small clumps");

    look = k.strands("Long fur", {"scatter", "grow", "fill", "strand_length", "clump", "clump", "curl",
                                  "frizz", "flyaways", "strand_width"});
    k.set(look, {{"melanin", "0.42"}, {"redness", "0.35"}});
    k.step(0, {{"count", "600"}});
    k.step(
        1,
        {{"length", "0.04..0.055"}, {"segments", "12"}, {"lean", "40"}, {"bend", "55"}, {"scatter", "0.2"}});
    k.step(2, {{"amount", "density"}, {"density", "450000"}});
    k.step(3, {{"factor", "0.6..1"}});
    k.step(4, {{"size", "0.005"}, {"along", kTight}});
    k.step(5, {{"size", "0.018"}, {"along", kSoft}});
    k.step(6, {{"radius", "0.0012"}, {"turns", "1.5"}, {"start", "0.3"}});
    k.step(7, {{"amplitude", "0.0012"}, {"bends", "3"}});
    k.step(8, {{"fraction", "0.03"}, {"away", "25"}});
    k.step(9, {{"root", "0.11"}, {"tip", "0.015"}, {"variation", "0.3"}});
    k.save("Long fur", "Locks in locks, with strays");

    look = k.strands("Wet fur", {"scatter", "grow", "fill", "clump", "clump", "frizz", "strand_width"});
    k.set(look, {{"melanin", "0.5"}, {"redness", "0.1"}, {"roughness", "0.16"}, {"roughness_around", "0.2"}});
    k.step(0, {{"count", "500"}});
    k.step(
        1,
        {{"length", "0.02..0.03"}, {"segments", "10"}, {"lean", "62"}, {"bend", "18"}, {"scatter", "0.15"}});
    k.step(2, {{"amount", "density"}, {"density", "500000"}});
    k.step(3, {{"size", "0.0065"},
               {"along", R"({"points": [[0, 0], [0.25, 0.75], [1, 1]], "smooth": true})"},
               {"stray", "0"}});
    k.step(4, {{"size", "0.02"}, {"along", kSoft}});
    k.step(5, {{"amplitude", "0.0003"}, {"bends", "2"}});
    k.step(6, {{"root", "0.12"}, {"tip", "0.04"}});
    k.save("Wet clumps", "Drawn together to points that shine");

    look = k.strands("Wool", {"scatter", "grow", "fill", "clump", "curl", "frizz", "strand_width"});
    k.set(look,
          {{"melanin", "0.07"}, {"redness", "0.4"}, {"roughness", "0.45"}, {"roughness_around", "0.6"}});
    k.step(0, {{"count", "500"}});
    k.step(
        1,
        {{"length", "0.035..0.045"}, {"segments", "28"}, {"lean", "25"}, {"bend", "40"}, {"scatter", "1"}});
    k.step(2, {{"amount", "density"}, {"density", "160000"}});
    k.step(3, {{"size", "0.009"}, {"along", kTight}});
    k.step(4, {{"radius", "0.0026"}, {"turns", "4.5"}, {"start", "0.2"}});
    k.step(5, {{"amplitude", "0.002"}, {"bends", "7"}});
    k.step(6, {{"root", "0.16"}, {"tip", "0.1"}});
    k.save("Wool", "Tight crimped locks");

    look = k.strands("Stubble", {"scatter", "grow", "strand_width"});
    k.set(look, {{"melanin", "0.7"}, {"redness", "0.1"}});
    k.step(0, {{"amount", "density"}, {"density", "140000"}});
    k.step(
        1,
        {{"length", "0.0012..0.003"}, {"segments", "2"}, {"lean", "35"}, {"bend", "0"}, {"scatter", "0.35"}});
    k.step(2, {{"root", "0.13"},
               {"tip", "0.1"},
               {"along", R"({"points": [[0, 1], [0.9, 0.9], [1, 0]], "smooth": true})"}});
    k.save("Stubble", "Short stiff ends, without guides");

    look = k.strands("Curls", {"scatter", "grow", "fill", "clump", "curl", "frizz", "strand_width"});
    k.set(look, {{"melanin", "0.36"}, {"redness", "0.6"}});
    k.step(0, {{"count", "350"}});
    k.step(
        1,
        {{"length", "0.07..0.09"}, {"segments", "40"}, {"lean", "30"}, {"bend", "85"}, {"scatter", "0.3"}});
    k.step(2, {{"amount", "density"}, {"density", "180000"}});
    k.step(3, {{"size", "0.012"}, {"along", kTight}, {"stray", "0.02"}});
    k.step(4, {{"radius", "0.0055"}, {"turns", "4"}, {"start", "0.08"}});
    k.step(5, {{"amplitude", "0.001"}, {"bends", "6"}});
    k.step(6, {{"root", "0.11"}, {"tip", "0.03"}});
    k.save("Curls", "Ringlets that hold together");
}

void threads(Kitchen& k) {
    std::string look = k.strands("Wire", {"spread", "grow", "coil", "strand_noise"});
    k.set(look, {{"coloured", "colour"},
                 {"base", "0.55,0.36,0.16"},
                 {"roughness", "0.12"},
                 {"roughness_around", "0.15"}});
    k.step(0, {{"distance", "0.02"}});
    k.step(1,
           {{"length", "0.05..0.08"}, {"segments", "8"}, {"lean", "10"}, {"bend", "20"}, {"scatter", "1"}});
    k.step(2, {{"radius", "0.0045"}, {"turns", "9"}, {"thickness", "1"}});
    k.step(3, {{"amplitude", "0.004"}, {"size", "0.05"}});
    k.save("Wire springs", "Coils of one thickness");

    look = k.strands("Reed", {"spread", "grow", "lift_lean", "strand_width", "strand_color"});
    k.set(look, {{"coloured", "colour"}, {"base", "0.2,0.22,0.06"}, {"roughness", "0.35"}});
    k.step(0, {{"distance", "0.006"}});
    k.step(1,
           {{"length", "0.09..0.16"}, {"segments", "12"}, {"lean", "8"}, {"bend", "18"}, {"scatter", "1"}});
    k.step(2, {{"lift", "0"}, {"lean", "10"}, {"gusts", "14"}, {"patch", "0.06"}});
    k.step(3, {{"root", "1.1"}, {"tip", "0.25"}, {"variation", "0.4"}});
    k.step(4, {{"root", "0.09,0.10,0.02"},
               {"tip", "0.34,0.30,0.11"},
               {"brightness", "0.3"},
               {"hue", "14"},
               {"clumps", "0"}});
    k.save("Reeds", "Stiff blades that lean in gusts");
}

}  // namespace

void writeRecipes(const std::filesystem::path& folder) {
    Kitchen k(folder);
    stones(k);
    plants(k);
    furs(k);
    threads(k);
}

}  // namespace ovrix::demo

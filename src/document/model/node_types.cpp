#include "document/model/node_types.h"

#include "base/image.h"
#include "params/specs.h"

namespace ovrix::document {

using namespace specs;

std::string categoryName(Category category) {
    static const char* names[] = {"object", "layer", "curve", "light", "camera", "material", "settings"};
    return names[size_t(category)];
}

namespace {

Specs standing() {
    return {vector("position", "Position", V3d(0), "m", 5, "Where it stands"),
            vector("rotation", "Rotation", V3d(0), "deg", 180, "Turned around X, then Y, then Z"),
            vector("scale", "Scale", V3d(1), "", 5, "Factor along its own axes")};
}

Specs follows() {
    return {ref("path", "Path", "curve", "Goes along a curve; its position counts from there"),
            shownIf(unitNumber("path_at", "Along path", 0, "Part of the curve's length: give it keys to go"),
                    "path!="),
            shownIf(flag("path_turn", "Rotates along", true, "Its +Z points along the curve"), "path!=")};
}

Specs wanders() {
    return {
        flag("wander", "Wanders", false, "Moves at random, without keys"),
        shownIf(number("wander_move", "By", 0.05, "m", 0, 1e6, 0, 1, "How far from where it stands"),
                "wander=true"),
        shownIf(number("wander_turn", "Rotation by", 5, "deg", 0, 3600, 0, 45, "How far to each side"),
                "wander=true"),
        shownIf(unitNumber("wander_size", "Size by", 0, "Part by which it grows and shrinks"), "wander=true"),
        shownIf(number("wander_rate", "Frequency", 0.5, "1/s", 0, 1e4, 0, 5, "Turns a second"),
                "wander=true"),
        shownIf(whole("wander_seed", "Seed", 1, 0, 4294967295.0, 0, 100, "Another number, another way"),
                "wander=true")};
}

Specs transform() { return standing() + follows() + wanders(); }

Specs surfaceLook() {
    return {ref("material", "Material", "material", "What it looks like; grey when none is chosen")};
}

std::vector<NodeType> objectTypes() {
    const Specs tail = surfaceLook() + transform();
    const ParamSpec segments = whole("segments", "Segments", 64, 3, 2048, 8, 256, "Faces around");
    return {
        {"mesh_file", "Mesh from file", Category::Object, "A mesh in OBJ, PLY, STL, OFF, glTF, GLB or FBX",
         Specs{{.id = "file",
                .title = "File",
                .type = ParamType::File,
                .initial = std::string(),
                .help = "The mesh file"},
               choice("unit", "One unit is", "metre", {"millimetre", "centimetre", "inch", "foot", "metre"},
                      "Size of the file's unit"),
               choice("up", "Up axis", "Y", {"Y", "Z"}, "The file's axis that points up"),
               flag("flip", "Flip faces", false, "For meshes whose faces look inward"),
               {.id = "slots",
                .title = "Slots",
                .type = ParamType::Refs,
                .initial = Refs{},
                .help = "A material for each slot of the file",
                .refKind = "material"}} +
             tail},
        {"plane", "Plane", Category::Object, "A flat square",
         Specs{number("size", "Size", 2, "m", 1e-6, 1e6, 0.1, 10, "Length of a side"),
               whole("divisions", "Divisions", 1, 1, 2048, 1, 256, "Faces along a side")} +
             tail},
        {"sphere", "Sphere", Category::Object, "A ball",
         Specs{number("radius", "Radius", 0.5, "m", 1e-6, 1e6, 0.01, 5, "From the middle to the surface"),
               segments} +
             tail},
        {"torus", "Torus", Category::Object, "A ring",
         Specs{number("radius", "Radius", 0.5, "m", 1e-6, 1e6, 0.01, 5,
                      "From the middle to the middle of the tube"),
               number("tube", "Tube", 0.15, "m", 1e-6, 1e6, 0.01, 2, "Radius of the tube"), segments} +
             tail},
        {"blade", "Blade", Category::Object, "A blade of grass, a leaf or a frond, or a tuft of them",
         Specs{
             number("height", "Height", 0.3, "m", 1e-5, 1e4, 0.02, 2, "Along the blade"),
             number("width", "Width", 0.02, "m", 1e-6, 1e3, 0.002, 0.3, "Where it is widest"),
             profile("profile", "Profile", {{0, 0.6f}, {0.3f, 1}, {1, 0}},
                     "Width from foot to tip, as a part of the widest"),
             whole("segments", "Segments", 10, 1, 256, 3, 32, "Faces along the blade"),
             number("bend", "Bend", 30, "deg", -720, 720, 0, 120, "Leans over evenly from foot to tip"),
             number("curl", "Curl", 20, "deg", -1440, 1440, -180, 360, "Rolls in towards the tip"),
             number("twist", "Twist", 15, "deg", -1440, 1440, -180, 180, "Turns about itself"),
             number("wave", "Wave", 0, "deg", 0, 180, 0, 45, "Sways to the sides along its length"),
             unitNumber("fold", "Fold", 0.15, "Raises both edges, like a gutter"),
             whole("blades", "Blades", 1, 1, 512, 1, 40, "More make a tuft, each a little different"),
             number("spread", "Spread", 0.03, "m", 0, 1e3, 0, 0.3, "Radius of the tuft's foot"),
             whole("columns", "Atlas columns", 1, 1, 64, 1, 8, "Pictures side by side in the blade's image"),
             whole("rows", "Atlas rows", 1, 1, 64, 1, 8, "Pictures above each other in it"),
             {.id = "pictures",
              .title = "Pictures",
              .type = ParamType::Cells,
              .initial = std::string(),
              .help =
                  "Those that the blades take in turn, counted from the upper left; all where none is named"},
             whole("seed", "Seed", 1, 0, 4294967295.0, 0, 100, "Another number, another tuft")} +
             tail},
        {"tuft", "Tuft", Category::Object, "A handful of strands that a layer copies as one",
         Specs{
             whole("strands", "Strands", 7, 1, 4096, 1, 60, "In one tuft"),
             number("height", "Height", 0.03, "m", 1e-6, 1e4, 0.002, 0.5, "Of the tallest"),
             unitNumber("vary", "Height varies", 0.3, "Part by which others are lower"),
             number("foot", "Foot", 0.004, "m", 0, 1e4, 0, 0.05, "Radius over which they start"),
             number("open", "Open", 20, "deg", 0, 180, 0, 90, "How far they lean outward"),
             number("radius", "Spiral", 0.003, "m", 0, 1e4, 0, 0.05,
                    "Radius of their spirals; 0 is straight"),
             unitNumber("radius_vary", "Spiral varies", 0.4, "Part by which some are narrower"),
             number("turns", "Turns", 2, "", 0, 1e3, 0, 10, "Of a spiral, from root to tip"),
             unitNumber("turns_vary", "Turns vary", 0.4, "Part by which some have fewer"),
             unitNumber("pinch", "Pinch", 0, "1 draws all tips together"),
             unitNumber("trim", "Trim", 0, "Part of the height that is cut off level"),
             number("distortion", "Distortion", 0.002, "m", 0, 1e4, 0, 0.05, "Irregular bends"),
             whole("segments", "Segments", 12, 1, 512, 3, 48, "Pieces of each strand"),
             number("root_width", "Root width", 0.6, "mm", 0, 1e6, 0.01, 10, "Across at the root"),
             number("tip_width", "Tip width", 0.1, "mm", 0, 1e6, 0, 10, "Across at the tip"),
             choice("form", "Form", "flat", {"flat", "round"}, "Ribbons that face the eye, or round strands"),
             whole("seed", "Seed", 1, 0, 4294967295.0, 0, 100, "Another number, another tuft")} +
             tail},
        {"terrain", "Terrain patch", Category::Object, "A square of hills",
         Specs{number("size", "Size", 4, "m", 1e-6, 1e6, 0.5, 20, "Length of a side"),
               whole("divisions", "Divisions", 192, 1, 2048, 16, 512, "Faces along a side"),
               number("height", "Height", 0.6, "m", -1e6, 1e6, 0, 3, "How far crests rise"),
               number("feature", "Feature size", 1.5, "m", 1e-4, 1e6, 0.1, 5, "Width of the largest hills"),
               number("ridges", "Ridges", 0.3, "", 0, 1, 0, 1, "0 soft hills, 1 sharp crests"),
               whole("seed", "Seed", 1, 0, 4294967295.0, 0, 100, "Another number, other hills")} +
             tail},
    };
}

std::vector<NodeType> lightTypes() {
    const ParamSpec exposure =
        number("exposure", "Exposure", 0, "EV", -30, 30, -6, 6, "Each step doubles the light");
    const ParamSpec tint = color("color", "Colour", Color(1.0f), false, "Colour of the light");
    const ParamSpec elevation =
        number("elevation", "Elevation", 35, "deg", -90, 90, -5, 90, "Angle of the sun over the horizon");
    const ParamSpec azimuth = number("azimuth", "Azimuth", 40, "deg", -3600, 3600, -180, 180,
                                     "Angle of the sun around, from +Z towards +X");
    const ParamSpec power = number("power", "Power", 20, "W/m2", 0, 1e9, 0, 100,
                                   "Light given by each square metre, per steradian");
    return {
        {"sun",
         "Sun",
         Category::Light,
         "Parallel light from a far disc",
         {elevation, azimuth, exposure,
          number("strength", "Strength", 3, "W/m2", 0, 1e6, 0, 10, "Light on a face turned to it"), tint,
          flag("air", "Atmosphere", true, "Coloured by the air that its light passes: red when low"),
          number("angle", "Angular size", 0.53, "deg", 0.01, 90, 0.1, 10,
                 "Width of the disc: wider, softer shadows")}},
        {"area", "Area light", Category::Light, "A glowing rectangle that shines along its -Y",
         Specs{exposure, power, tint, number("width", "Width", 1, "m", 1e-6, 1e6, 0.05, 5, "Along its X"),
               number("height", "Height", 1, "m", 1e-6, 1e6, 0.05, 5, "Along its Z")} +
             transform()},
        {"ball", "Sphere light", Category::Light, "A glowing ball",
         Specs{exposure, power, tint,
               number("radius", "Radius", 0.1, "m", 1e-6, 1e6, 0.01, 2, "Size of the ball")} +
             transform()},
        {"dome",
         "Dome image",
         Category::Light,
         "An image all around the scene",
         {{.id = "file",
           .title = "File",
           .type = ParamType::File,
           .initial = std::string(),
           .help = "A picture of all directions, twice as wide as high; even light without one"},
          choice("space", "Colour space", "Linear Rec.709", colorSpaceNames(),
                 "The space that the file's numbers are in"),
          exposure,
          tint,
          number("turn", "Rotation", 0, "deg", -3600, 3600, -180, 180, "Around the vertical")}},
        {"sky",
         "Sky",
         Category::Light,
         "Daylight scattered in air, for the height of the sun",
         {ref("sun", "Sun", "light", "The sun that this sky belongs to; its own angles when none is chosen"),
          shownIf(elevation, "sun="), shownIf(azimuth, "sun="), exposure,
          number("haze", "Haze", 1.0, "", 0, 20, 0, 6,
                 "0 clean mountain air, 1 a clear day, more is mist and dust"),
          color("ground", "Ground", Color(0.12f, 0.11f, 0.1f), false,
                "What the light meets below the horizon"),
          tint}},
    };
}

NodeType curveType() {
    return {
        "curve", "Curve", Category::Curve, "A line to place things along, or to turn them to",
        Specs{{.id = "points",
               .title = "Points",
               .type = ParamType::Points,
               .initial = CurvePoints{},
               .help = "What it goes through; drawn in the view"},
              flag("closed", "Closed", false, "Goes on from the last point to the first"),
              flag("round", "Round", true, "Bends through its points; else straight from one to the next")} +
            standing() + wanders()};
}

NodeType cameraType() {
    return {"camera",
            "Camera",
            Category::Camera,
            "What the render sees through",
            {vector("position", "Position", V3d(3, 2, 4), "m", 10, "Where it stands"),
             vector("target", "Looks at", V3d(0, 0, 0), "m", 10, "The point in the middle of the picture"),
             number("roll", "Roll", 0, "deg", -3600, 3600, -45, 45, "Turned around the line of sight"),
             number("focal", "Focal length", 35, "mm", 1, 5000, 12, 200, "On a film 36 mm wide"),
             number("fstop", "f-stop", 0, "", 0, 1000, 0, 22,
                    "Depth of field: small numbers blur more; 0 keeps all sharp"),
             number("focus", "Focus distance", 0, "m", 0, 1e6, 0, 20,
                    "Sharp at this distance; 0 focuses on what it looks at"),
             number("exposure", "Exposure", 0, "EV", -30, 30, -6, 6,
                    "Each step doubles the brightness of the picture")}};
}

NodeType materialType() {
    return {"surface",
            "Surface material",
            Category::Material,
            "Metal or not, from mirror to matt",
            {color("base", "Base colour", Color(0.5f), true, "Colour of the body, or of the metal"),
             drivable(number("roughness", "Roughness", 0.5, "", 0, 1, 0, 1, "0 mirror, 1 matt")),
             drivable(number("metalness", "Metalness", 0, "", 0, 1, 0, 1, "0 stone, wood, skin; 1 metal")),
             drivable(number("specular", "Specular", 0.5, "", 0, 1, 0, 1,
                             "Strength of the shine of what is no metal; 0.5 is glassy")),
             drivable(unitNumber("translucency", "Translucency", 0,
                                 "Part of the light that shines through, for thin things such as leaves")),
             drivable(unitNumber("opacity", "Opacity", 1,
                                 "Cut out where it is under half; an image's alpha cuts leaves from a card")),
             color("emission", "Emission", Color(0.0f), true, "Colour of its own light"),
             drivable(number("glow", "Glow", 1, "W/m2", 0, 1e9, 0, 20, "Strength of its own light"))}};
}

/// Melanin by concentration and share of red: the absorption of both kinds is a fit to measured hair, from
/// d'Eon, Francois, Hill, Letteri, Aubry, "An Energy-Conserving Hair Reflectance Model", EGSR 2011,
/// doi:10.1111/j.1467-8659.2011.01976.x.
NodeType fibreType() {
    return {
        "fibre",
        "Fibre material",
        Category::Material,
        "Hair, fur and thread: light is reflected, passes through, and is reflected inside",
        {choice("coloured", "Coloured by", "melanin", {"melanin", "colour", "absorption"},
                "By the pigments of hair, by the colour that it shall have, or by what it absorbs"),
         shownIf(drivable(unitNumber("melanin", "Melanin", 0.4, "0 white, 0.2 blond, 0.4 brown, 1 black")),
                 "coloured=melanin"),
         shownIf(drivable(unitNumber("redness", "Redness", 0.1, "Share of the red pigment")),
                 "coloured=melanin"),
         shownIf(color("base", "Colour", Color(0.3f, 0.2f, 0.12f), true, "Of many strands in even light"),
                 "coloured=colour"),
         shownIf(color("absorption", "Absorption", Color(0.4f, 0.7f, 1.2f), true,
                       "For each radius of a strand that light passes"),
                 "coloured=absorption"),
         flag("own_colors", "Strands' own", true, "Colours that the recipe gave its strands come before all"),
         drivable(
             unitNumber("roughness", "Roughness along", 0.3, "Width of the highlights along the strand")),
         drivable(
             unitNumber("roughness_around", "Roughness around", 0.3, "How far light is spread around it")),
         number("shift", "Shift", 2.5, "deg", -30, 30, -5, 10,
                "Tilt of the scales: parts the two highlights"),
         number("ior", "Refraction", 1.55, "", 1.01, 3, 1.2, 2, "Of the strand; 1.55 is hair"),
         choice("model", "Model", "full", {"full", "draft"},
                "Draft is a cheap shine by the angle to the strand alone"),
         drivable(unitNumber("specular", "Shine", 1, "Strength of the highlights"))}};
}

std::vector<NodeType> settingsTypes() {
    return {
        {"render",
         "Render",
         Category::Settings,
         "The picture and how long to work on it",
         {ref("camera", "Camera", "camera", "Rendered through this one"),
          whole("width", "Width", 1280, 1, 32768, 320, 3840, "Pixels across"),
          whole("height", "Height", 720, 1, 32768, 180, 2160, "Pixels down"),
          whole("samples", "Samples", 64, 1, 1048576, 1, 1024, "Passes over the picture: more is cleaner"),
          whole("bounces", "Bounces", 6, 0, 64, 0, 16, "How often light may be reflected on its way"),
          number("limit", "Firefly limit", 10, "", 0, 1e9, 0, 50,
                 "Cuts bright dots of indirect light and of fibres; 0 cuts nothing"),
          unitNumber("thin_strands", "Thin strands", 0.7,
                     "Strands thinner than this part of a pixel are drawn as wide and let as much through; 0 "
                     "draws them as they are"),
          unitNumber("shutter", "Shutter", 0,
                     "Part of a frame that it is open, up to the frame: blurs what moves"),
          shownIf(whole("shutter_steps", "Motion steps", 3, 2, 32, 2, 8,
                        "Times at which what moves is looked at: more bend"),
                  "shutter!=0"),
          choice("tone", "Tone", "soft", {"soft", "plain"},
                 "soft rolls bright light off like film, plain cuts it at white"),
          flag("transparent", "Transparent", false, "Leaves alpha 0 where nothing stands"),
          whole("seed", "Seed", 0, 0, 4294967295.0, 0, 100, "Another number, other grain")}},
        {"scene",
         "Scene",
         Category::Settings,
         "What holds for the whole scene",
         {number("rate", "Frames a second", 24, "1/s", 1, 1000, 12, 60, "How fast the frames follow"),
          whole("first", "First frame", 1, -1e6, 1e6, 0, 250, "Where the animation begins"),
          whole("last", "Last frame", 96, -1e6, 1e6, 1, 500, "Where it ends"),
          whole("loop_from", "Plays from", 0, -1e6, 1e6, 0, 250, "Where playing begins again"),
          whole("loop_to", "Plays to", 0, -1e6, 1e6, 0, 250,
                "Where it goes back; all is played when it lies first"),
          whole("preroll", "Pre-roll", 0, 0, 1e5, 0, 120,
                "Frames that simulations run before the first one, to settle"),
          choice("play", "Plays", "in real time", {"in real time", "every frame"},
                 "Leaves out frames to keep time, or shows each as soon as it is there"),
          number("sim_memory", "Frame cache", 2, "GB", 0.05, 4096, 0.5, 32,
                 "Memory for simulated frames; more than that is worked out again"),
          number("draft", "Draft share", 0.1, "", 0.001, 1, 0.01, 1, "Part of each layer that Draft shows"),
          number("memory", "Memory limit", 8, "GB", 0.05, 4096, 0.5, 64,
                 "A layer that would take more is refused with the figure")}},
    };
}

std::vector<NodeType> allTypes() {
    std::vector<NodeType> types = objectTypes();
    types.push_back(
        {"layer",
         "Layer",
         Category::Layer,
         "A recipe on a surface, and what it makes",
         {ref("surface", "Surface", "object or layer",
              "What it lies on: an object, or the copies that another layer makes"),
          ref("material", "Material", "material",
              "For all that it makes; of copies each prototype's own when none is chosen"),
          shownIf(choice("show_as", "Shown as", "auto", {"auto", "meshes", "boxes", "dots"},
                         "How the view draws its copies; auto keeps the view fluid"),
                  "makes=copies"),
          shownIf(flag("show_fill", "Strands", true, "The view draws all that it makes"), "makes=strands"),
          shownIf(
              flag("show_guides", "Guides", false, "The view draws the guides that the rest is laid between"),
              "makes=strands"),
          shownIf(flag("show_roots", "Roots", false, "The view marks where guides, or all strands, begin"),
                  "makes=strands"),
          unitNumber("view_share", "Shown share", 1, "Part of its copies or strands that the view shows"),
          whole("view_most", "Shown at most", 0, 0, 1e12, 0, 1000000,
                "The view shows no more than this many; 0 is all"),
          number("thin_from", "Thin out from", 0, "m", 0, 1e6, 0, 20,
                 "Farther than this from the camera, copies thin out with the distance, in view and "
                 "render; 0 never"),
          choice("cull", "Leave out unseen", "never", {"never", "view", "view and render"},
                 "Makes only what the scene's camera sees"),
          shownIf(number("cull_margin", "Margin", 0.5, "m", 0, 1e6, 0, 5,
                         "Kept around the camera's view, for shadows and reflections"),
                  "cull!=never"),
          number(
              "rest", "Rest frame", 1, "", -1e6, 1e6, 0, 250,
              "What is placed lies where it does on the surface of this frame, and goes with it from there"),
          flag("warp", "Own time", false,
               "Shows other frames than the scene's: slower, backward, along a curve"),
          shownIf(number("warp_at", "Shows frame", 1, "", -1e6, 1e6, 1, 250,
                         "Give it keys or a formula such as 97 - frame; between frames, what lies between"),
                  "warp=true"),
          ref("linked", "Recipe of", "layer",
              "Follows the recipe of another layer; values set here are its own")}});
    types.push_back(curveType());
    for (NodeType& t : lightTypes()) types.push_back(std::move(t));
    types.push_back(cameraType());
    types.push_back(materialType());
    types.push_back(fibreType());
    for (NodeType& t : settingsTypes()) types.push_back(std::move(t));
    return types;
}

}  // namespace

const std::vector<NodeType>& nodeTypes() {
    static const std::vector<NodeType> types = allTypes();
    return types;
}

const NodeType* findNodeType(const std::string& id) {
    for (const NodeType& type : nodeTypes())
        if (type.id == id) return &type;
    return nullptr;
}

}  // namespace ovrix::document

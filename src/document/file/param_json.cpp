// Values, parameters and fields as JSON.
#include <fmt/format.h>

#include "base/error.h"
#include "document/file/scene_file.h"

namespace ovrix::document {

using Json = nlohmann::ordered_json;

namespace {

/// The shortest decimal that reads back as the same float: 0.3, not 0.30000001192092896.
double shortest(float x) { return std::isfinite(x) ? std::stod(fmt::format("{}", x)) : 0.0; }

struct ToJson {
    Json operator()(bool x) const { return x; }
    Json operator()(int64_t x) const { return x; }
    Json operator()(double x) const { return std::isfinite(x) ? x : 0.0; }
    Json operator()(const Range& r) const { return Json::array({(*this)(r.min), (*this)(r.max)}); }
    Json operator()(const V3d& v) const { return Json::array({(*this)(v.x), (*this)(v.y), (*this)(v.z)}); }
    Json operator()(const Color& c) const {
        return Json::array({shortest(c.x), shortest(c.y), shortest(c.z)});
    }
    Json operator()(const std::string& s) const { return s; }
    Json operator()(const MapValue& value) const {
        if (!value.map) return nullptr;
        return Json{{"hash", fmt::format("{:016x}", value.hash())},
                    {"topology", fmt::format("{:016x}", value.map->layout->topology)},
                    {"resolution", shortest(value.map->layout->resolution)}};
    }
    Json operator()(const Quatf& q) const {
        return Json::array({shortest(q.r), shortest(q.v.x), shortest(q.v.y), shortest(q.v.z)});
    }
    Json operator()(const ManualEdits& edits) const {
        Json out = Json::array();
        for (const ManualEdit& e : edits.list) {
            Json j{{"id", e.id}};
            if (e.added) j["added"] = true;
            if (e.removed) j["removed"] = true;
            if (e.move != V3f(0.0f)) j["move"] = (*this)(Color(e.move));
            if (e.turn != Quatf()) j["rotation"] = (*this)(e.turn);
            if (e.size != 1.0f) j["size"] = shortest(e.size);
            if (!e.prototype.empty()) j["prototype"] = e.prototype;
            out.push_back(std::move(j));
        }
        return out;
    }
    Json operator()(const StrandEdits& edits) const {
        Json strands = Json::array();
        for (const StrandEditPtr& e : edits.list) {
            Json j{{"id", e->id}};
            if (e->added) {
                j["added"] = true;
                j["triangle"] = e->triangle;
                j["at"] = Json::array({shortest(e->bary.x), shortest(e->bary.y)});
                j["position"] = (*this)(Color(e->position));
            }
            if (e->removed) j["removed"] = true;
            if (e->length != 1.0f) j["length"] = shortest(e->length);
            if (!e->directions.empty()) {
                Json d = Json::array();
                for (const V3f& v : e->directions)
                    for (int k = 0; k < 3; ++k) d.push_back(shortest(v[k]));
                j["directions"] = std::move(d);
            }
            strands.push_back(std::move(j));
        }
        return Json{{"topology", fmt::format("{:016x}", edits.topology)}, {"strands", std::move(strands)}};
    }
    Json operator()(const Curve& curve) const {
        Json points = Json::array();
        for (const V2f& p : curve.points) points.push_back(Json::array({shortest(p.x), shortest(p.y)}));
        return Json{{"points", points}, {"smooth", curve.smooth}};
    }
    Json operator()(const PictureStrokes& strokes) const {
        Json out = Json::array();
        for (const PictureStroke& s : strokes.list) {
            Json points = Json::array();
            for (const V2f& p : s.points)
                for (int k = 0; k < 2; ++k) points.push_back(shortest(p[k]));
            Json j{{"radius", shortest(s.radius)}, {"softness", shortest(s.softness)}, {"points", points}};
            if (s.erases) j["erases"] = true;
            out.push_back(std::move(j));
        }
        return Json{{"strokes", std::move(out)}};
    }
    Json operator()(const CurvePoints& points) const {
        Json out = Json::array();
        for (const V3f& p : points.list) out.push_back((*this)(Color(p)));
        return out;
    }
    Json operator()(const Refs& refs) const { return Json(refs); }
    Json operator()(const PrototypeMix& mix) const {
        Json out = Json::array();
        for (const WeightedPrototype& s : mix) {
            Json j{{"of", s.ref}, {"weight", (*this)(s.weight)}};
            if (s.size != WeightedPrototype().size) j["size"] = (*this)(s.size);
            if (s.tilt != WeightedPrototype().tilt) j["tilt"] = (*this)(s.tilt);
            out.push_back(std::move(j));
        }
        return out;
    }
};

[[noreturn]] void wrongType(const ParamSpec& spec, const char* wanted) {
    throw Error(std::string("expected ") + wanted, spec.id,
                "ovrix-cli describe shows what each parameter takes");
}

double numberFrom(const ParamSpec& spec, const Json& j) {
    if (!j.is_number() || !std::isfinite(j.get<double>())) wrongType(spec, "a number");
    return j.get<double>();
}

std::vector<double> numbersFrom(const ParamSpec& spec, const Json& j, size_t count) {
    if (!j.is_array() || j.size() != count) wrongType(spec, count == 2 ? "two numbers" : "three numbers");
    std::vector<double> out;
    for (const Json& x : j) out.push_back(numberFrom(spec, x));
    return out;
}

std::string textFrom(const ParamSpec& spec, const Json& j) {
    if (!j.is_string()) wrongType(spec, "a text");
    return j.get<std::string>();
}

std::string choiceFrom(const ParamSpec& spec, const Json& j) {
    std::string text = textFrom(spec, j);
    if (std::find(spec.choices.begin(), spec.choices.end(), text) == spec.choices.end())
        throw Error("\"" + text + "\" is no choice", spec.id,
                    fmt::format("Use one of: {}", fmt::join(spec.choices, ", ")));
    return text;
}

Range rangeFrom(const ParamSpec& spec, const Json& j) {
    const auto n = numbersFrom(spec, j, 2);
    return {std::min(n[0], n[1]), std::max(n[0], n[1])};
}

PrototypeMix mixFrom(const ParamSpec& spec, const Json& j) {
    if (!j.is_array()) wrongType(spec, "a list of {\"of\", \"weight\"}");
    PrototypeMix out;
    for (const Json& x : j) {
        if (!x.is_object() || !x.contains("of")) wrongType(spec, "a list of {\"of\", \"weight\"}");
        WeightedPrototype one{textFrom(spec, x["of"])};
        if (x.contains("weight")) one.weight = numberFrom(spec, x["weight"]);
        if (x.contains("size")) one.size = rangeFrom(spec, x["size"]);
        if (x.contains("tilt")) one.tilt = rangeFrom(spec, x["tilt"]);
        out.push_back(std::move(one));
    }
    return out;
}

uint64_t hexFrom(const ParamSpec& spec, const Json& j, const char* key) {
    const std::string text = j.contains(key) ? textFrom(spec, j[key]) : std::string();
    if (text.empty() || text.size() > 16 || text.find_first_not_of("0123456789abcdef") != std::string::npos)
        wrongType(spec, "a map with hash and topology");
    return std::stoull(text, nullptr, 16);
}

MapValue mapFrom(const ParamSpec& spec, const Json& j) {
    if (j.is_null()) return {};
    if (!j.is_object()) wrongType(spec, "a map with hash and topology");
    auto layout = std::make_shared<PaintLayout>();
    layout->topology = hexFrom(spec, j, "topology");
    if (j.contains("resolution")) layout->resolution = float(numberFrom(spec, j["resolution"]));
    auto map = std::make_shared<PaintedMap>();
    map->layout = layout;
    map->hash = hexFrom(spec, j, "hash");
    return {map};
}

ManualEdits editsFrom(const ParamSpec& spec, const Json& j) {
    if (!j.is_array()) wrongType(spec, "a list of edits by id");
    ManualEdits edits;
    for (const Json& x : j) {
        if (!x.is_object() || !x.contains("id") || !x["id"].is_number_unsigned())
            wrongType(spec, "a list of edits by id");
        ManualEdit e;
        e.id = x["id"].get<uint64_t>();
        e.added = x.value("added", Json(false)) == true;
        e.removed = x.value("removed", Json(false)) == true;
        if (x.contains("move")) {
            const auto n = numbersFrom(spec, x["move"], 3);
            e.move = V3f(float(n[0]), float(n[1]), float(n[2]));
        }
        if (x.contains("rotation")) {
            if (!x["rotation"].is_array() || x["rotation"].size() != 4)
                wrongType(spec, "a rotation of four numbers");
            float n[4];
            for (size_t i = 0; i < 4; ++i) n[i] = float(numberFrom(spec, x["rotation"][i]));
            e.turn = Quatf(n[0], V3f(n[1], n[2], n[3]));
            if (!(e.turn.length() > 1e-6f)) wrongType(spec, "a rotation of four numbers that are not all 0");
        }
        if (x.contains("size")) e.size = float(numberFrom(spec, x["size"]));
        if (x.contains("prototype")) e.prototype = textFrom(spec, x["prototype"]);
        edits.put(e);
    }
    return edits;
}

V3f vectorFrom(const ParamSpec& spec, const Json& j) {
    const auto n = numbersFrom(spec, j, 3);
    return V3f(float(n[0]), float(n[1]), float(n[2]));
}

StrandEdit strandFrom(const ParamSpec& spec, const Json& j) {
    if (!j.is_object() || !j.contains("id") || !j["id"].is_number_unsigned())
        wrongType(spec, "strands with their ids");
    StrandEdit e;
    e.id = j["id"].get<uint64_t>();
    e.added = j.value("added", Json(false)) == true;
    e.removed = j.value("removed", Json(false)) == true;
    if (j.contains("length")) e.length = std::max(0.0f, float(numberFrom(spec, j["length"])));
    if (j.contains("triangle")) {
        if (!j["triangle"].is_number_integer()) wrongType(spec, "the number of a triangle");
        e.triangle = int32_t(std::clamp<int64_t>(j["triangle"].get<int64_t>(), -1, INT32_MAX));
    }
    if (j.contains("at")) {
        const auto n = numbersFrom(spec, j["at"], 2);
        e.bary = V2f(float(n[0]), float(n[1]));
    }
    if (j.contains("position")) e.position = vectorFrom(spec, j["position"]);
    if (!j.contains("directions")) return e;
    const Json& d = j["directions"];
    if (!d.is_array() || d.size() % 3 != 0) wrongType(spec, "directions of three numbers each");
    for (size_t i = 0; i < d.size(); i += 3) {
        V3f v;
        for (int k = 0; k < 3; ++k) v[k] = float(numberFrom(spec, d[i + size_t(k)]));
        e.directions.push_back(v.length() > 1e-6f ? v : V3f(0, 1, 0));
    }
    return e;
}

StrandEdits combingFrom(const ParamSpec& spec, const Json& j) {
    if (!j.is_object() || !j.contains("strands") || !j["strands"].is_array())
        wrongType(spec, "a list of strands");
    StrandEdits edits;
    edits.topology = hexFrom(spec, j, "topology");
    std::vector<StrandEdit> list;
    for (const Json& s : j["strands"]) list.push_back(strandFrom(spec, s));
    edits.put(std::move(list));
    return edits;
}

PictureStrokes strokesFrom(const ParamSpec& spec, const Json& j) {
    constexpr size_t kMost = 1 << 20;  // points: hours of painting
    if (!j.is_object() || !j.contains("strokes") || !j["strokes"].is_array())
        wrongType(spec, "strokes with their points");
    PictureStrokes strokes;
    size_t count = 0;
    for (const Json& s : j["strokes"]) {
        if (!s.is_object() || !s.contains("points") || !s["points"].is_array() || s["points"].size() % 2)
            wrongType(spec, "strokes with their points");
        if ((count += s["points"].size()) > 2 * kMost)
            throw Error(fmt::format("has strokes of more than {} points", kMost), spec.id,
                        "Paint it with fewer strokes");
        PictureStroke stroke;
        if (s.contains("radius")) stroke.radius = float(numberFrom(spec, s["radius"]));
        if (s.contains("softness")) stroke.softness = float(numberFrom(spec, s["softness"]));
        stroke.erases = s.value("erases", Json(false)) == true;
        for (size_t i = 0; i < s["points"].size(); i += 2)
            stroke.points.emplace_back(float(numberFrom(spec, s["points"][i])),
                                       float(numberFrom(spec, s["points"][i + 1])));
        strokes.list.push_back(std::move(stroke));
    }
    return std::get<PictureStrokes>(clampToSpec(spec, Value(strokes)));
}

CurvePoints pointsFrom(const ParamSpec& spec, const Json& j) {
    if (!j.is_array()) wrongType(spec, "a list of points");
    CurvePoints points;
    for (const Json& p : j) {
        const auto n = numbersFrom(spec, p, 3);
        points.list.push_back(V3f(float(n[0]), float(n[1]), float(n[2])));
    }
    return points;
}

const char* const kEaseNames[] = {"linear", "eased", "hold", "smooth", "free"};
const char* const kRepeatNames[] = {"hold", "cycle", "onward"};

const char* const kRampNames[] = {"linear", "smooth", "steps"};

Json rampToJson(const Ramp& ramp) {
    Json stops = Json::array();
    for (const RampStop& s : ramp.stops)
        stops.push_back(Json::array({double(s.at), valueToJson(Value(s.color))}));
    return {{"kind", kRampNames[size_t(ramp.kind)]}, {"perceptual", ramp.perceptual}, {"stops", stops}};
}

std::shared_ptr<const Ramp> rampFrom(const ParamSpec& spec, const Json& j) {
    if (spec.type != ParamType::Color) wrongType(spec, "a ramp where it is a colour");
    if (!j.is_object() || !j.contains("stops") || !j["stops"].is_array())
        wrongType(spec, "a ramp with stops");
    auto ramp = std::make_shared<Ramp>();
    for (size_t i = 0; i < std::size(kRampNames); ++i)
        if (j.value("kind", Json()) == kRampNames[i]) ramp->kind = Ramp::Kind(i);
    ramp->perceptual = j.value("perceptual", Json()) == true;
    for (const Json& s : j["stops"]) {
        if (!s.is_array() || s.size() != 2) wrongType(spec, "stops of a place from 0 to 1 and a colour");
        ramp->stops.push_back({float(numberFrom(spec, s[0])), std::get<Color>(valueFromJson(spec, s[1]))});
    }
    ramp->tidy();
    return ramp;
}

Curve curveFrom(const ParamSpec& spec, const Json& j) {
    Curve curve;
    if (!j.is_object() || !j.contains("points") || !j["points"].is_array())
        wrongType(spec, "a curve with points");
    curve.points.clear();
    for (const Json& p : j["points"]) {
        const auto xy = numbersFrom(spec, p, 2);
        curve.points.push_back(V2f(float(xy[0]), float(xy[1])));
    }
    curve.smooth = j.value("smooth", true);
    curve.tidy();
    return curve;
}

std::shared_ptr<const ColorCurves> colorCurvesFrom(const ParamSpec& spec, const Json& j) {
    if (spec.type != ParamType::Color) wrongType(spec, "curves of hue where it is a colour");
    if (!j.is_object()) wrongType(spec, "curves of hue, saturation and value");
    auto curves = std::make_shared<ColorCurves>();
    if (j.contains("hue")) curves->hue = curveFrom(spec, j["hue"]);
    if (j.contains("saturation")) curves->saturation = curveFrom(spec, j["saturation"]);
    if (j.contains("value")) curves->value = curveFrom(spec, j["value"]);
    return curves;
}

Json handleToJson(const KeyHandle& h, int components) {
    Json out = Json::array({h.frames});
    for (int c = 0; c < components; ++c) out.push_back(h.by[size_t(c)]);
    return out;
}

KeyHandle handleFrom(const ParamSpec& spec, const Json& j) {
    if (!j.is_array() || j.size() < 2 || j.size() > 4)
        wrongType(spec, "a handle: frames, then a number for each component");
    KeyHandle h;
    h.frames = std::max(0.0, numberFrom(spec, j[0]));
    for (size_t c = 1; c < j.size(); ++c) h.by[c - 1] = numberFrom(spec, j[c]);
    return h;
}

Json keysToJson(const std::vector<Key>& keys) {
    Json out = Json::array();
    for (const Key& k : keys) {
        Json j{{"frame", k.frame}, {"value", valueToJson(k.value)}, {"ease", kEaseNames[size_t(k.ease)]}};
        if (k.before != KeyHandle()) j["before"] = handleToJson(k.before, componentsOf(k.value));
        if (k.after != KeyHandle()) j["after"] = handleToJson(k.after, componentsOf(k.value));
        out.push_back(std::move(j));
    }
    return out;
}

std::vector<Key> keysFrom(const ParamSpec& spec, const Json& j) {
    if (!j.is_array()) wrongType(spec, "a list of keys");
    std::vector<Key> keys;
    for (const Json& k : j) {
        if (!k.is_object() || !k.contains("frame") || !k.contains("value"))
            wrongType(spec, "keys with frame and value");
        Key key{numberFrom(spec, k["frame"]), valueFromJson(spec, k["value"]), KeyEase::Smooth};
        const std::string ease = k.contains("ease") ? textFrom(spec, k["ease"]) : "smooth";
        for (size_t i = 0; i < std::size(kEaseNames); ++i)
            if (ease == kEaseNames[i]) key.ease = KeyEase(i);
        if (k.contains("before")) key.before = handleFrom(spec, k["before"]);
        if (k.contains("after")) key.after = handleFrom(spec, k["after"]);
        keys.push_back(key);
    }
    std::stable_sort(keys.begin(), keys.end(), [](const Key& a, const Key& b) { return a.frame < b.frame; });
    return keys;
}

std::map<int, std::string> formulasFrom(const ParamSpec& spec, const Json& j) {
    if (!j.is_object()) wrongType(spec, "formulas by component");
    std::map<int, std::string> out;
    for (const auto& [c, text] : j.items()) {
        if (c != "0" && c != "1" && c != "2") wrongType(spec, "formulas of the components 0, 1 and 2");
        formulaAt(textFrom(spec, text), 1.0, kUsualRate);
        out[c[0] - '0'] = textFrom(spec, text);
    }
    return out;
}

Json sourceToJson(const FieldSource& s) {
    Json j{{"type", s.type},
           {"on", s.on},
           {"blend", blendName(s.blend)},
           {"invert", s.invert},
           {"strength", paramToJson(strengthSpec(), s.strength)},
           {"remap", ToJson()(s.remap)}};
    Json params = Json::object();
    if (const SourceType* type = findSourceType(s.type))
        for (const ParamSpec& spec : type->params)
            if (const auto it = s.params.find(spec.id); it != s.params.end())
                params[spec.id] = paramToJson(spec, it->second);
    j["params"] = params;
    return j;
}

FieldSource sourceFrom(const ParamSpec& spec, const Json& j) {
    if (!j.is_object() || !j.contains("type")) wrongType(spec, "field sources with a type");
    const std::string id = textFrom(spec, j["type"]);
    const SourceType* type = findSourceType(id);
    if (!type)
        throw Error("there is no field source \"" + id + "\"", spec.id, "Open the scene in a newer version");
    FieldSource s = makeSource(id);
    s.on = j.value("on", true);
    s.invert = j.value("invert", false);
    if (j.contains("blend")) s.blend = blendFromName(textFrom(spec, j["blend"]));
    if (j.contains("strength")) s.strength = paramFromJson(strengthSpec(), j["strength"]);
    if (j.contains("remap")) s.remap = curveFrom(spec, j["remap"]);
    if (j.contains("params") && j["params"].is_object())
        for (const ParamSpec& p : type->params)
            if (j["params"].contains(p.id)) s.params[p.id] = paramFromJson(p, j["params"][p.id]);
    return s;
}

}  // namespace

Json valueToJson(const Value& value) { return std::visit(ToJson(), value); }

Value valueFromJson(const ParamSpec& spec, const Json& j) {
    switch (spec.type) {
        case ParamType::Bool:
            if (!j.is_boolean()) wrongType(spec, "true or false");
            return j.get<bool>();
        case ParamType::Int: {
            const double x = numberFrom(spec, j);
            return j.is_number_integer() ? Value(j.get<int64_t>())
                                         : Value(int64_t(std::clamp(x, -9e15, 9e15)));
        }
        case ParamType::Number:
            return numberFrom(spec, j);
        case ParamType::Range: {
            const auto x = numbersFrom(spec, j, 2);
            return Range{x[0], x[1]};
        }
        case ParamType::Vector: {
            const auto x = numbersFrom(spec, j, 3);
            return V3d(x[0], x[1], x[2]);
        }
        case ParamType::Color: {
            const auto x = numbersFrom(spec, j, 3);
            return Color(float(x[0]), float(x[1]), float(x[2]));
        }
        case ParamType::Choice:
            return choiceFrom(spec, j);
        case ParamType::Choices: {
            if (!j.is_array()) wrongType(spec, "a list of choices");
            Refs chosen;
            for (const Json& x : j)
                if (std::string text = choiceFrom(spec, x);
                    std::find(chosen.begin(), chosen.end(), text) == chosen.end())
                    chosen.push_back(std::move(text));
            return chosen;
        }
        case ParamType::Refs: {
            if (!j.is_array()) wrongType(spec, "a list of ids");
            Refs refs;
            for (const Json& x : j) refs.push_back(textFrom(spec, x));
            return refs;
        }
        case ParamType::PrototypeMix:
            return mixFrom(spec, j);
        case ParamType::Map:
            return mapFrom(spec, j);
        case ParamType::Edits:
            return editsFrom(spec, j);
        case ParamType::Points:
            return pointsFrom(spec, j);
        case ParamType::Strokes:
            return strokesFrom(spec, j);
        case ParamType::Profile:
            return curveFrom(spec, j);
        case ParamType::Combing:
            return combingFrom(spec, j);
        default:
            return textFrom(spec, j);
    }
}

Json paramToJson(const ParamSpec& spec, const Param& param) {
    if (!param.animated() && !param.field) return valueToJson(param.value);
    Json j{{"value", valueToJson(param.value)}};
    if (!param.keys.empty()) j["keys"] = keysToJson(param.keys);
    if (param.repeat != KeyRepeat::Hold) j["repeat"] = kRepeatNames[size_t(param.repeat)];
    for (const auto& [c, text] : param.formulas) j["formulas"][std::to_string(c)] = text;
    if (!param.field) return j;
    if (holdsType(spec.type, param.low) && spec.type != ParamType::Range) j["low"] = valueToJson(param.low);
    if (param.ramp) j["ramp"] = rampToJson(*param.ramp);
    if (const ColorCurves* c = param.curves.get())
        j["curves"] = {{"hue", ToJson()(c->hue)},
                       {"saturation", ToJson()(c->saturation)},
                       {"value", ToJson()(c->value)}};
    j["field"] = Json::array();
    for (const FieldSource& s : param.field->sources) j["field"].push_back(sourceToJson(s));
    return j;
}

Param paramFromJson(const ParamSpec& spec, const Json& j) {
    Param param = paramOr(spec, {});
    if (!j.is_object() || j.contains("hash") || j.contains("points") || j.contains("strands") ||
        j.contains("strokes")) {  // maps, profiles, combing and strokes are objects
        param.value = valueFromJson(spec, j);
        return param;
    }
    if (j.contains("value")) param.value = valueFromJson(spec, j["value"]);
    if (j.contains("keys")) param.keys = keysFrom(spec, j["keys"]);
    if (j.contains("repeat"))
        for (size_t i = 0; i < std::size(kRepeatNames); ++i)
            if (textFrom(spec, j["repeat"]) == kRepeatNames[i]) param.repeat = KeyRepeat(i);
    if (j.contains("formulas")) param.formulas = formulasFrom(spec, j["formulas"]);
    if (j.contains("low")) param.low = valueFromJson(spec, j["low"]);
    if (j.contains("ramp")) param.ramp = rampFrom(spec, j["ramp"]);
    if (j.contains("curves")) param.curves = colorCurvesFrom(spec, j["curves"]);
    if (!j.contains("field")) return param;
    if (!j["field"].is_array()) wrongType(spec, "a list of field sources");
    auto field = std::make_shared<Field>();
    for (const Json& s : j["field"]) field->sources.push_back(sourceFrom(spec, s));
    param.field = field;
    return param;
}

}  // namespace ovrix::document

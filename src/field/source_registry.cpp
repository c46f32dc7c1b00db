// The table of field sources. A new source is its own file and one line here.
#include "base/error.h"
#include "field/sources.h"

namespace ovrix::field {

const std::vector<SourceType>& sourceTypes() {
    static const std::vector<SourceType> types = {
        constantSource(),   slopeSource(),    heightSource(), facingSource(),   curvatureSource(),
        occlusionSource(),  distanceSource(), insideSource(), noiseSource(),    randomSource(),
        faceRandomSource(), eyeSource(),      alongSource(),  backsideSource(), arrivingSource(),
        ageSource(),        speedSource(),    imageSource(),  paintSource(),    attributeSource(),
        formulaSource(),
    };
    return types;
}

const SourceType* findSourceType(const std::string& id) {
    for (const SourceType& type : sourceTypes())
        if (type.id == id) return &type;
    return nullptr;
}

bool isPainted(const FieldSource& source) {
    const SourceType* type = findSourceType(source.type);
    return type && type->painted;
}

FieldSource makeSource(const std::string& id) {
    const SourceType* type = findSourceType(id);
    if (!type) throw Error("there is no field source \"" + id + "\"");
    FieldSource source;
    source.type = id;
    source.remap = type->remap;
    for (const ParamSpec& spec : type->params) source.params[spec.id] = paramOr(spec, {});
    return source;
}

const ParamSpec& strengthSpec() {
    static const ParamSpec spec{.id = "strength",
                                .title = "Strength",
                                .initial = 1.0,
                                .hardMin = 0.0,
                                .hardMax = 1.0,
                                .help = "0 leaves what is above, 1 is the full blend"};
    return spec;
}

}  // namespace ovrix::field

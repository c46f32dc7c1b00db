#include "document/edits/paste.h"

#include "base/error.h"
#include "document/edits/keying.h"

namespace ovrix::document {

Param pasted(const Param& copied, const ParamSpec& from, const ParamSpec& to) {
    const bool alike = from.type == to.type && from.choices == to.choices && from.refKind == to.refKind;
    if (!alike) throw Error("\"" + from.title + "\" does not fit there", to.title, "Copy one of its kind");
    Param p = copied;
    p.value = clampToSpec(to, p.value);
    if (!keyable(to)) p.keys.clear(), p.formulas.clear();
    for (Key& key : p.keys) key.value = clampToSpec(to, key.value);
    if (to.drivable) {
        p.low = p.field ? clampToSpec(to, p.low) : p.low;
    } else {
        p.field = nullptr, p.ramp = nullptr, p.curves = nullptr;
    }
    return p;
}

}  // namespace ovrix::document

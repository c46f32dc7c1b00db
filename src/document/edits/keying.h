// Edits of keys over time.
#pragma once
#include "document/edits/edits.h"

namespace ovrix::document {

/// Whether a parameter of that kind may have keys.
bool keyable(const ParamSpec& spec);
/// The parameters of a node and of its steps, and of the sources of their fields, that have keys.
std::vector<ParamPath> animatedParams(const Document& document, const std::string& node);
/// The index of the key at a frame, within a hundredth of one; nothing for none.
std::optional<size_t> keyAt(const Param& param, double frame);

/// A key with a value at a frame; one that is there takes the value and keeps its ease.
Document withKey(const Document& document, const ParamPath& path, double frame, const Value& value);
/// Without the key at a frame. When the last goes, the parameter keeps its value.
Document withoutKey(const Document& document, const ParamPath& path, double frame);
/// What setting a value means at a frame: a key where the parameter has keys, else the value.
Document withValueAt(const Document& document, const ParamPath& path, double frame, const Value& value);
/// All keys anew, in the order of frames; of two at one frame the later in the list stays.
Document withKeys(const Document& document, const ParamPath& path, std::vector<Key> keys);
/// A formula for one component; an empty one removes it. Throws Error when it is none.
Document withFormula(const Document& document, const ParamPath& path, int component, const std::string& text);

/// Keys with their frames counted from the first, to be put elsewhere.
std::vector<Key> copiedKeys(const std::vector<Key>& keys);
/// @p keys put from a frame on into another parameter: where the kinds differ, component by component as far
/// as both have them. Throws Error when the parameter takes no keys.
Document withKeysPut(const Document& document, const ParamPath& path, double frame,
                     const std::vector<Key>& keys);

}  // namespace ovrix::document

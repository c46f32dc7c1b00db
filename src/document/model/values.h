// The values that a node holds: at a frame, and in one walk over all, those inside its fields too.
#pragma once
#include <functional>

#include "document/model/document.h"

namespace ovrix::document {

/// A node's own parameters at a frame, at the document's rate. Throws Error where a field of it cannot be
/// read.
ResolvedParams paramsOf(const Document& document, const Node& node, double frame);

/// Gives a parameter a value. Throws std::logic_error where the type declares none of that id, or of another
/// type: a wrong id in code must not pass unseen.
void setValue(Node& node, const std::string& param, Value value);
void setValue(Step& step, const std::string& param, Value value);

/// May change the value.
using ValueChange = std::function<void(const ParamSpec& spec, Value& value)>;

/// Over the values that @p specs declare, and over those of the sources that drive them; values of keys are
/// not among them. A field is made anew only where something in it changed.
void changeValues(const std::vector<ParamSpec>& specs, ParamMap& params, const ValueChange& change);
/// Over the node's own parameters and those of its steps.
void changeValues(Node& node, const ValueChange& change);
/// The same walk, of who only looks.
void visitValues(const Node& node,
                 const std::function<void(const ParamSpec& spec, const Value& value)>& visit);

}  // namespace ovrix::document

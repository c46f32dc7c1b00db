// How an object stands as a prototype.
#pragma once
#include "document/model/document.h"

namespace ovrix::eval {

/// An object's own turn and size, which its copies have; where it stands is not theirs.
M44f prototypeMatrix(const Document& document, const std::string& object, double frame);

}  // namespace ovrix::eval

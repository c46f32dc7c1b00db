// Things on the other side.
#pragma once
#include "document/model/document.h"

namespace ovrix::document {

/// A duplicate on the other side of the plane through the world's origin across an axis, with its keys.
/// @param axis  0 to 2: the coordinate that is turned around  @param newId  gets its id
/// Throws Error on what stands nowhere, is carried or goes along a curve, or whose place a formula says.
Document withMirrored(const Document& document, const std::string& id, int axis,
                      std::string* newId = nullptr);

}  // namespace ovrix::document

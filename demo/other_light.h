// The demo scene in other light: under clouds, and at night.
#pragma once
#include "maker.h"

namespace ovrix::demo {

/// Writes "low_tide_overcast.ovrix" and "low_tide_night.ovrix" beside the scene that was put together.
/// @param sand  the id of what lies under the shallow water
void writeOtherLight(const Maker& lowTide, const std::string& sand);

}  // namespace ovrix::demo

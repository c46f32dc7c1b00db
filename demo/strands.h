// What grows in the demo pool as strands: the pup's coat, tentacles, a sponge of tufts, kelp.
#pragma once
#include "base/house.h"
#include "maker.h"

namespace ovrix::demo {

using namespace deliver;

/// Adds the pup with its coat and whiskers, lying at a place of the scene, and a camera that looks at it.
/// Returns the pup's id.
std::string addPup(Maker& maker, const V3f& place, float turnDegrees);
void addAnemone(Maker& maker, const V3f& place);
void addSponge(Maker& maker, const V3f& place);
/// Kelp on the surface of that id, where the mask lets it.
void addKelp(Maker& maker, const std::string& surface, std::vector<FieldSource> mask);

}  // namespace ovrix::demo

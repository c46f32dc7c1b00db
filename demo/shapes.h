// Shapes of the demo pool, made by code. Metres; each stands on the origin with Y up.
#pragma once
#include "geo/mesh/mesh.h"

namespace ovrix::demo {

using namespace deliver;

/// Rock shelf of a tide pool, about 3.2 m wide: a stepped ledge with boulders, sinking into sand in front.
MeshPtr ledge();
/// Sand around it with ripples left by the tide.
MeshPtr sand();
/// Height of the sand at a place.
float sandHeight(float x, float z);

/// A cone of plates; open shows the mouth, closed its lid. About 12 mm wide.
MeshPtr barnacle(bool open, uint32_t seed);
/// A ribbed tent with the tip off centre, about 28 mm.
MeshPtr limpet();
/// A turned shell lying on its side, about 22 mm. A tube along a logarithmic helix
/// (Raup, "Geometric Analysis of Shell Coiling", J. Paleontology 40(5), 1966).
MeshPtr snailShell();
/// A crab on its feet, about 220 mm across the legs, looking along Z.
MeshPtr crab();
/// A fish a metre long, looking along Z, its middle at the origin: a closed body with a forked tail. @p depth
/// of it, by a slender one's.
MeshPtr fish(float depth);
/// A worn stone, about 60 mm.
MeshPtr stone(uint32_t seed);

}  // namespace ovrix::demo

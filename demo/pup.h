// The seal pup of the demo pool, made by code.
#pragma once
#include "geo/mesh/mesh.h"

namespace ovrix::demo {

using namespace deliver;

/// A pup that lies on its belly along X, nose at +X, about half a metre long; its belly is at y = 0.
MeshPtr pup();
/// Where its parts are, metres.
struct PupPlaces {
    V3f eye{0.246f, 0.157f, 0.037f};  ///< the left one; the right one at -z
    float eyeRadius = 0.0115f;
    V3f nose{0.291f, 0.124f, 0.0f};
    V3f muzzle{0.268f, 0.118f, 0.0f};
};

/// A low cushion that tentacles grow from, about 7 cm wide.
MeshPtr anemoneFoot();
/// A lumpy sponge, about 12 cm wide.
MeshPtr spongeBody();

}  // namespace ovrix::demo

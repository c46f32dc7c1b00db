// Strands as elastic rods.
#pragma once
#include <span>
#include <vector>

#include "base/vec.h"

namespace ovrix {

/// What a rod is like. Its stiffness is told by a length: B / (mass of a metre) = 9.81 length^3, in m4/s2; a
/// level strand of that length, held at its root, would sink at its tip by an eighth of it under its weight
/// on Earth, as far as small bends go.
struct RodNature {
    std::vector<float> stiffLength;  ///< metres, of each piece; above 0
    float rootStiffness = 1;         ///< 1 clamps the first piece to the root's frame, 0 lets it turn
    float keepShape = 0;             ///< 0 to 1: part of the way back to its rest shape each 1/24 s
    float stretch = 0;               ///< part by which it may be longer than at rest
    int iterations = 2;
};

/// How a rod is at rest: lengths of its pieces, and the turns from each to the next.
struct RodRest {
    std::vector<float> length;  ///< n - 1 of n points
    std::vector<Quatf> bend;    ///< from the root's frame to piece 0, and from piece k - 1 to piece k
    std::vector<V3f> shape;     ///< points in the root's frame
    /// From a line of two points or more and the frame of its root.
    static RodRest of(std::span<const V3f> points, const Quatf& root);
};

/// The turns of all pieces of a line, which lie along their +Y: from the root's frame on, without twist.
void pieceTurns(std::span<const V3f> points, const Quatf& root, std::span<Quatf> turns);

/// Brings a rod to where its bends and lengths hold, as far as its stiffness says in @p dt seconds; @p point
/// are the places where other forces alone would take it. Point 0 is held, and so is the frame of the root.
///
/// The energy is that of Bergou, Wardetzky, Robinson, Audoly, Grinspun, "Discrete Elastic Rods", ACM TOG
/// 27(3), 2008, doi:10.1145/1360612.1360662: the tip is free, so twist is spread at once and the frames are
/// those without twist, from the root, with the twist at rest. Each round solves the bends of a whole strand
/// at once with the directions that they aim at held, as Bouaziz et al., "Projective Dynamics", ACM TOG
/// 33(4), 2014, doi:10.1145/2601097.2601116: five diagonals. So stiff strands need no more rounds than limp
/// ones. Then lengths are kept by keepLengths(). Thread safe.
void relaxRod(std::span<V3f> point, const Quatf& root, const RodRest& rest, const RodNature& nature,
              float dt);

/// Moves points so that no piece is longer than the stretch allows, nor shorter than at rest: Newton steps on
/// all pieces at once, three diagonals. Point 0 is held. @p length up to 511 pieces.
void keepLengths(std::span<V3f> point, std::span<const float> length, float stretch);

}  // namespace ovrix

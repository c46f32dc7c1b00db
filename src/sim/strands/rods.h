// Strands as elastic rods.
#pragma once
#include <memory>
#include <span>
#include <vector>

#include "base/vec.h"

namespace ovrix::sim {

/// What a rod is like. Its stiffness is told by a length: B / (mass of a metre) = 9.81 length^3, in m4/s2; a
/// level strand of that length, held at its root, would sink at its tip by an eighth of it under its weight
/// on Earth, as far as small bends go.
struct RodNature {
    std::vector<float> stiffLength;  ///< metres, of each piece; above 0
    float rootStiffness = 1;         ///< 1 clamps the first piece to the root's frame, 0 lets it turn
    float keepShape = 0;             ///< 0 to 1: part of the way back to its rest shape each 1/24 s
    float stretch = 0;               ///< part by which it may be longer than at rest
    int iterations = 2;
    bool operator==(const RodNature&) const = default;
};

/// A rod at rest: its points, and the frame of its root.
struct RodRest {
    std::span<const V3f> points;
    Quatf root;
};

/// Up to four rods of as many pieces each, which are worked out side by side: what one of them does depends
/// on none of the others. Point 0 is held, and so is the frame of the root.
///
/// The energy is that of Bergou, Wardetzky, Robinson, Audoly, Grinspun, "Discrete Elastic Rods", ACM TOG
/// 27(3), 2008, doi:10.1145/1360612.1360662: the tip is free, so twist is spread at once and the frames are
/// those without twist, from the root, with the twist at rest. Each round solves the bends of a whole strand
/// at once with the directions that they aim at held, as Bouaziz et al., "Projective Dynamics", ACM TOG
/// 33(4), 2014, doi:10.1145/2601097.2601116: five diagonals, whose factors stay the same as long as the
/// substep does. So stiff strands need no more rounds than limp ones. Then lengths are kept.
///
/// How far the system's numbers lie apart grows with the fourth power of the number of pieces. Up to where
/// single precision holds, four rods share a register; beyond, each is solved in double precision by itself;
/// what even that does not hold is made less stiff, and softened() says so. A rod may have any number of
/// pieces.
class Rods {
  public:
    static constexpr size_t kLanes = 4;

    /// @param rest  one to four of two points or more, all of as many; @p dt seconds of a substep
    Rods(std::span<const RodRest> rest, const RodNature& nature, float dt);
    Rods(Rods&&) noexcept;
    ~Rods();

    size_t count() const { return count_; }
    /// How many of them are less stiff than asked for.
    size_t softened() const { return softened_; }
    /// Brings the rods to where their bends and lengths hold, as far as their stiffness says in a substep;
    /// @p lines are the places where other forces alone would take their points. Thread safe.
    void relax(std::span<const std::span<V3f>> lines, std::span<const Quatf> roots) const;
    /// Moves points so that no piece is longer than the stretch allows, nor shorter than at rest: Newton
    /// steps on all pieces at once, three diagonals. Only of those lines that @p which says. Thread safe.
    void keepLengths(std::span<const std::span<V3f>> lines, std::span<const bool> which) const;

  private:
    std::vector<std::unique_ptr<const struct RodChain>> chains_;  // one for all, or one for each
    size_t count_, softened_ = 0;
};

}  // namespace ovrix::sim

// Strands as elastic rods.
#pragma once
#include <span>
#include <vector>

#include "base/lanes.h"

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
class Rods {
  public:
    static constexpr size_t kLanes = 4;
    /// Points beyond the 512th of a strand are not moved.
    static constexpr size_t kMost = 512;

    /// @param rest  one to four of two points or more, all of as many; @p dt seconds of a substep
    Rods(std::span<const RodRest> rest, const RodNature& nature, float dt);

    size_t count() const { return count_; }
    /// Brings the rods to where their bends and lengths hold, as far as their stiffness says in a substep;
    /// @p lines are the places where other forces alone would take their points. Thread safe.
    void relax(std::span<const std::span<V3f>> lines, std::span<const Quatf> roots) const;
    /// Moves points so that no piece is longer than the stretch allows, nor shorter than at rest: Newton
    /// steps on all pieces at once, three diagonals. Only of those lines that @p which says. Thread safe.
    void keepLengths(std::span<const std::span<V3f>> lines, std::span<const bool> which) const;

  private:
    /// What belongs to one piece, or to the point at its end.
    struct Piece {
        Float4 length, perLength, longest;
        Float4 pull;             ///< mass of the end point by dt^2
        Float4 weight, weights;  ///< of the end point, and with that of the other end
        Float4 stiff;
        Float4 before;    ///< 1 / length of the piece before; 0 at the root
        Float4 one, two;  ///< factors of the five diagonals: rows above
        Float4 off, farOff, perDiagonal;
        Vec4 bend;   ///< its direction at rest, in the frame of the piece before
        Vec4 shape;  ///< its end at rest, in the frame of the root
    };
    void load(std::span<const std::span<V3f>> lines, Vec4* points) const;
    void store(const Vec4* points, std::span<const std::span<V3f>> lines) const;
    void solveBends(const Vec4* predicted, const Turn4& root, Vec4* points) const;
    void keepLengths(Vec4* points, Mask4 which) const;
    void factor();

    std::vector<Piece> pieces_;
    size_t count_;
    float keep_;
    int iterations_;
};

}  // namespace ovrix

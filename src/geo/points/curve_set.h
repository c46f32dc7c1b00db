// Curves as lines of many short pieces, to be walked along and measured to.
#pragma once
#include <memory>
#include <optional>
#include <vector>

#include "geo/points/nearest.h"

namespace ovrix::geo {

/// Points close together on the curve through @p points. Bent: a centripetal Catmull-Rom curve, which makes
/// no loops or cusps within a span (Yuksel, Schaefer, Keyser, "Parameterization and applications of
/// Catmull-Rom curves", Computer-Aided Design 43, 2011), by the pyramid of Barry and Goldman (SIGGRAPH 1988).
/// Points that are not finite or repeat the one before are left out; a closed curve ends where it begins.
std::vector<V3f> curveThrough(const std::vector<V3f>& points, bool closed, bool bent, int piecesPerSpan = 16);

/// Immutable; all functions are thread safe.
class CurveSet {
  public:
    /// Lines of fewer than two points are left out.
    explicit CurveSet(const std::vector<std::vector<V3f>>& lines);

    size_t size() const { return lines_.size(); }
    const std::vector<V3f>& line(size_t curve) const { return lines_[curve].points; }
    /// Metres.
    double length(size_t curve) const { return lines_[curve].along.back(); }
    double totalLength() const { return total_; }

    struct Place {
        uint32_t curve = 0;
        double along = 0;  ///< metres from the curve's start
        V3f position, tangent;
    };
    /// A place on one curve; beyond its ends, the ends.
    Place at(size_t curve, double along) const;
    /// A place when all curves are laid one after another.
    Place at(double along) const;

    struct Near {
        Place place;
        float distance = 0;
    };
    /// The closest place, exact; nothing when all is further away than @p reach.
    std::optional<Near> closest(const V3f& p, float reach = std::numeric_limits<float>::infinity()) const;

  private:
    struct Line {
        std::vector<V3f> points;
        std::vector<double> along;  // metres from the start to each point
        double before = 0;          // metres of all lines before it
    };
    Place on(size_t curve, size_t piece, double along) const;

    std::vector<Line> lines_;
    std::vector<std::pair<uint32_t, uint32_t>> owner_;  // line and point of each of the tree's
    double total_ = 0;
    float longest_ = 0;  // no piece is longer
    std::unique_ptr<NearestPoints> tree_;
};

}  // namespace ovrix::geo

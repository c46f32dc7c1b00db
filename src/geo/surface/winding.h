// How often a mesh winds around places: what is inside of it, even where it is open, crosses itself or is
// turned inside out.
#pragma once
#include "geo/mesh/mesh.h"

namespace ovrix::geo {

/// Const and thread safe. Takes about 100 bytes a triangle.
class WindingNumber {
  public:
    /// @param mesh  finished; not kept
    explicit WindingNumber(const Mesh& mesh);
    /// 1 within a closed mesh, 0 outside of it, between both where it is open; more where it lies in itself
    /// several times, less than 0 where it is inside out. A tree of triangles, of which far parts count as
    /// dipoles: Barill, Dickson, Schmidt, Levin and Jacobson, "Fast Winding Numbers for Soups and Clouds",
    /// SIGGRAPH 2018, doi:10.1145/3197517.3201337; off by less than 0.05 of what the triangles give.
    float at(const V3f& place) const;
    /// Whether it winds around the place by more than a half, either way.
    bool inside(const V3f& place) const { return std::abs(at(place)) > 0.5f; }

    /// By how much it changes at most within so many metres of a place that no triangle lies so near to: by
    /// the edges that the mesh leaves open, as the field of a current along them does (Biot and Savart). 0
    /// where there are none; infinite where one is as near.
    float changeWithin(const V3f& place, float reach) const;

  private:
    struct Node {
        V3f middle, dipole;     // of the area; the sum of area by normal
        float radius;           // that holds all of its triangles, about the middle
        uint32_t first, count;  // of its triangles
        uint32_t next;          // the node after all of those below
    };
    /// Open edges that lie close together.
    struct Rim {
        V3f middle;
        float radius, length;
    };
    void build(uint32_t first, uint32_t count);
    void findRims(const Mesh& mesh);
    std::vector<Rim> rims_;
    std::vector<Node> nodes_;  // each before those below it
    std::vector<std::array<V3f, 3>> corners_;
};

}  // namespace ovrix::geo

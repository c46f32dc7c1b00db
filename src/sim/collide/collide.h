// What particles meet: meshes, planes, each other.
#pragma once
#include "sim/particle_parts.h"

namespace ovrix::sim {

ParticleModifier collidePart();
ParticleModifier floorPart();
/// Particles keep a distance from each other.
ParticleModifier spacingPart();

/// One particle on its way through a substep.
struct SweptParticle {
    V3f x0, v0;  ///< at its beginning
    V3f x1, v1;  ///< at its end; v1 - v0 is what forces gave
    float scale = 1;
    int32_t group = 0;
    Quatf* turn = nullptr;  ///< null for those without an axis; a tip lies along its +Y
    bool touched = false, ended = false;
    // of those that stick
    int32_t stuckIn = 0;  ///< number of the collider from 1; negative on its back
    uint32_t triangle = 0;
    V2f bary{0, 0};
};

/// What is known of what is around a point that meets things in each of many substeps. Strands have millions
/// of them: the list of triangles is made only where something is near.
struct ContactCache {
    /// Within that radius, in metres, of that place nothing is met; nothing but what it touches, if it does.
    V3f position{0, 0, 0};
    float radius = 0;
    V3f on{0, 0, 0}, up{0, 1, 0};  ///< what it touches, in the world, when it was looked at
    uint32_t collider = 0;         ///< what was nearest
    bool touching = false;         ///< it lies on that triangle, at these weights
    bool close = false;            ///< looking again shows no more: something is near
    uint32_t triangle = kNoTriangle;
    V2f bary{0, 0};
    V3f lean{0, 0, 1};                    ///< off it, by both edges and the normal of the triangle
    std::unique_ptr<NearTriangles> near;  ///< of that collider; null for none yet
    /// Whether all within @p around of a place is free.
    bool holds(const V3f& p, float around = 0) const {
        const float left = radius - around;
        return left > 0 && (p - position).length2() < left * left;
    }
    /// Whether the way between two places, and all within @p around of its end, is free.
    bool passes(const V3f& from, const V3f& to, float around = 0) const {
        return !touching && holds(from) && holds(to, around);
    }
    /// Looks closely again at what it touches.
    void wake() {
        if (touching) touching = false, radius = 0;
    }
};

/// The colliders of a substep. Thread safe.
class Collisions {
  public:
    /// @param begin, end  parts of the frame; @param frame  its seconds
    Collisions(const std::vector<Collider>& colliders, double begin, double end, float frame);

    /// Moves the passage on past all that it meets: what is met first counts first, and the rest of the
    /// substep goes on from there. On a plane under an even force the time of the meeting is exact. Friction
    /// is Coulomb's: a part of what the contact takes of the speed towards it.
    void settle(SweptParticle& passage) const;
    /// Where one that sticks is at the end of the substep, with its velocity and the turn of the triangle.
    void moveWith(int32_t stuckIn, uint32_t triangle, const V2f& bary, V3f& position, V3f& velocity,
                  Quatf& frame) const;
    /// Where the mesh has other faces than a frame before, the nearest place of it takes the place of the one
    /// that something at @p place stuck to; whether it did.
    bool rebind(int32_t stuckIn, const V3f& position, uint32_t& triangle, V2f& bary) const;
    /// One that was moved from a place, where it was clear of all, at the end of the substep: no farther than
    /// what it meets lets it, and without the speed towards that.
    void keepOut(const V3f& from, V3f& position, V3f& velocity, float scale, int32_t group,
                 Quatf* turn) const;
    /// Whether something that may be met lies within twice its thickness at the end of the substep.
    bool near(const V3f& position, float scale, int32_t group, const Quatf* turn) const;
    /// The turn of the triangle that something sticks to, at the end of the substep.
    Quatf frameOf(int32_t stuckIn, uint32_t triangle) const;
    /// Moves the passage's end out of closed meshes, by the closest place alone: for what is moved a little
    /// in each of many substeps; past open meshes and planes as settle() does. @p seconds of the substep.
    /// Looks only when the way leads out of @p clear, which then is what it sees: the result is the same.
    /// It looks as far as @p around, where that is not many times the thickness.
    void pushOut(SweptParticle& passage, float seconds, ContactCache& clear, float around = 0) const;
    /// Asked before pushOut(): whether it is where it last lay on a mesh, but for a part of the thickness.
    /// What goes along by less than a quarter of it takes the mesh as flat there, until it is woken. Then it
    /// is kept off that, and nothing else is to be done.
    bool rests(SweptParticle& passage, float seconds, const ContactCache& clear) const {
        return clear.touching && clear.holds(passage.x1) && restsOn(passage, seconds, clear);
    }
    /// Whether a straight piece between two points meets nothing, by what is known around them alone; false
    /// where that does not tell. @p atA  null for a point that is held by what may be the collider itself
    bool clearBetween(const V3f& a, const ContactCache* atA, const V3f& b, const ContactCache& atB) const;
    /// Moves a straight piece between two points, each clear of all by itself, off what stands into it in
    /// between, at the end of the substep; one that is held, without @p atA, keeps its first point. Whether
    /// it did.
    bool pushPieceOut(V3f& a, const ContactCache* atA, V3f& b, const ContactCache& atB) const;
    /// As far as any place of a collider moves in the substep at most: clearances are less by it. Infinite
    /// where one was made anew.
    float moved() const { return moved_; }
    /// Whether something that waits there is woken.
    bool wakes(const V3f& position, int32_t group) const;
    /// Moves what lies inside of a closed mesh to its surface; true when it did.
    bool freed(V3f& position) const;
    bool empty() const { return colliders_.empty(); }

  private:
    struct Contact;
    bool meets(const Collider& c, int32_t group) const {
        return c.then != OnContact::Wake && (c.group == 0 || c.group == group);
    }
    static V3f tipOf(const Collider& c, const Quatf* turn, float scale);
    /// Past the colliders from @p first up to, without, @p last.
    void settle(SweptParticle& passage, size_t first, size_t last) const;
    Contact firstContact(const SweptParticle& passage, size_t first, size_t last, double begin,
                         V3f& tip) const;
    static float timeAtPlane(const Contact& contact, const SweptParticle& passage, const V3f& tip,
                             const V3f& acceleration, float left);
    static bool endsAt(const Contact& contact, SweptParticle& passage);
    void settleAt(SweptParticle& passage, size_t collider) const;
    void pushOff(const SurfaceHit& hit, size_t collider, float seconds, SweptParticle& passage,
                 ContactCache& clear) const;
    void putOn(const V3f& on, const V3f& normal, const V3f& ground, float friction,
               SweptParticle& passage) const;
    bool restsOn(SweptParticle& passage, float seconds, const ContactCache& clear) const;
    void find(const Collider& collider, size_t number, const V3f& from, const V3f& to, const V3f& tip,
              double begin, Contact& best) const;
    void respond(const Contact& contact, V3f& acceleration, float left, const V3f& tip,
                 SweptParticle& p) const;

    const std::vector<Collider>& colliders_;
    std::vector<MovingSurface::During> during_, ended_;  ///< in the substep; at its end
    double begin_, end_;
    float frame_;
    float moved_ = 0;
};

}  // namespace ovrix::sim

#include "sim/collide/collide.h"

#include <utility>

#include "geo/strands/strands.h"

namespace ovrix::sim {

/// A plane that is met: of a triangle, or of a floor.
struct Collisions::Contact {
    const Collider* collider = nullptr;
    size_t number = 0;
    float fraction = 2;  ///< of the way, 0 to 1
    bool crossed = false;
    V3f point{0, 0, 0}, normal{0, 1, 0},
        velocity{0, 0, 0};  ///< m/s; the point is a thickness off the surface
    uint32_t triangle = 0;
    V2f bary{0, 0};
    bool back = false;
};

Collisions::Collisions(const std::vector<Collider>& colliders, double begin, double end, float frame)
    : colliders_(colliders), begin_(begin), end_(end), frame_(frame) {
    for (const Collider& c : colliders) {
        during_.push_back(c.surface ? c.surface->during(begin, end) : MovingSurface::During());
        ended_.push_back(c.surface ? c.surface->during(end, end) : MovingSurface::During());
    }
    for (const Collider& c : colliders) {
        const float own = c.fresh && begin <= 0 ? std::numeric_limits<float>::infinity()
                          : c.surface           ? c.surface->mostMoved(begin, end)
                                                : (c.point1 - c.point0).length() * float(end - begin);
        moved_ = std::max(moved_, own);
    }
}

void Collisions::find(const Collider& c, size_t number, const V3f& from, const V3f& to, const V3f& tip,
                      double begin, Contact& best) const {
    const V3f a = from + tip, b = to + tip;
    if (!c.surface) {
        const V3f moved = c.point1 - c.point0;
        const V3f lift = c.normal * c.thickness;
        const float d1 = (b - c.point0 - moved * float(end_) - lift).dot(c.normal);
        if (d1 >= -1e-6f) return;  // on it, but for rounding
        const float d0 = (a - c.point0 - moved * float(begin) - lift).dot(c.normal);
        const float fraction = d0 <= 0 ? 0.0f : d0 / (d0 - d1);
        if (fraction >= best.fraction) return;
        const double time = begin + (end_ - begin) * double(fraction);
        best = {.collider = &c,
                .number = number,
                .fraction = fraction,
                .crossed = true,
                .point = c.point0 + moved * float(time) + lift,
                .normal = c.normal,
                .velocity = moved / frame_};
        return;
    }
    Box3f swept;
    swept.extendBy(a), swept.extendBy(b);
    const V3f slack(c.thickness);
    if (!Box3f(c.bounds.min - slack, c.bounds.max + slack).intersects(swept)) return;
    const MovingSurface::During during = begin == begin_ ? during_[number]
                                         : begin >= end_ ? ended_[number]
                                                         : c.surface->during(begin, end_);
    Touch t = during.sweep(a, b);
    if (t.hit) {
        if (t.fraction >= best.fraction) return;
        const V3f n = c.surface->triangle(t.triangle, begin + (end_ - begin) * double(t.fraction)).normal();
        best = {.collider = &c,
                .number = number,
                .fraction = t.fraction,
                .crossed = true,
                .point = t.position + t.normal * c.thickness,
                .normal = t.normal,
                .velocity = t.velocity / frame_,
                .triangle = t.triangle,
                .bary = V2f(t.u, t.v),
                .back = t.normal.dot(n) < 0};
        return;
    }
    const SurfaceHit near = during.closest(b, c.thickness);
    if (!near.hit || best.fraction <= 1.0f || near.distance > 0.999f * c.thickness) return;
    const MovingTriangle k = c.surface->triangle(near.triangle, end_);
    const V3f face = k.normal();
    V3f n = b - near.position;
    n = n.length() > 0.01f * c.thickness ? n.normalized()
                                         : ((a - near.position).dot(face) < 0 ? -face : face);
    best = {.collider = &c,
            .number = number,
            .fraction = 1.0f,
            .point = near.position + n * c.thickness,
            .normal = n,
            .velocity = c.surface->velocityAt(near.triangle, near.u, near.v, end_) / frame_,
            .triangle = near.triangle,
            .bary = V2f(near.u, near.v),
            .back = n.dot(face) < 0};
}

/// After a contact with @p left seconds to go under an even force @p push.
void Collisions::respond(const Contact& k, V3f& acceleration, float left, const V3f& tip,
                         SweptParticle& p) const {
    const Collider& c = *k.collider;
    const V3f& n = k.normal;
    const V3f relative = p.v0 - k.velocity;
    const float towards = -relative.dot(n), pressed = std::max(0.0f, -acceleration.dot(n));
    const bool bounces =
        c.then != OnContact::Slide && c.bounce > 0 && towards > 2.0f * pressed * left + 1e-4f;
    if (bounces) {
        const V3f along = relative + n * towards;
        const float lost = c.friction * (1.0f + c.bounce) * towards, speed = along.length();
        const V3f kept = speed > lost ? along * (1.0f - lost / speed) : V3f(0.0f);
        p.v0 = kept + n * (c.bounce * towards) + k.velocity;
        p.x1 = p.x0 + p.v0 * left + acceleration * (0.5f * left * left);
        p.v1 = p.v0 + acceleration * left;
        return;
    }
    // It stays on the surface: what presses it there is taken away, and rubs.
    const V3f gained = relative + acceleration * left;
    const V3f along = gained - n * gained.dot(n);
    const float lost = c.friction * (std::max(0.0f, towards) + pressed * left), speed = along.length();
    const V3f kept = speed > lost ? along * (1.0f - lost / speed) : V3f(0.0f);
    const float away = std::max(0.0f, gained.dot(n));
    p.v1 = kept + n * away + k.velocity;
    p.x1 = p.x0 + p.v1 * left;
    const float under = (k.point + k.velocity * left - p.x1 - tip).dot(n);
    if (under > 0) p.x1 += n * under;
    p.v0 = p.v1;
    acceleration = V3f(0.0f);
}

void Collisions::settle(SweptParticle& p) const { settle(p, 0, colliders_.size()); }

Collisions::Contact Collisions::firstContact(const SweptParticle& p, size_t first, size_t last, double begin,
                                             V3f& tip) const {
    Contact best;
    for (size_t i = first; i < last; ++i) {
        const Collider& c = colliders_[i];
        if (!meets(c, p.group)) continue;
        const V3f ahead = tipOf(c, p.turn, p.scale);
        const Contact known = best;
        find(c, i, p.x0, p.x1, ahead, begin, best);
        if (best.collider != known.collider || best.fraction != known.fraction) tip = ahead;
    }
    return best;
}

/// Along the parabola rather than the chord: the first time at which what crosses a plane is at it, in
/// seconds, at most @p left.
float Collisions::timeAtPlane(const Contact& k, const SweptParticle& p, const V3f& tip,
                              const V3f& acceleration, float left) {
    const float chord = k.fraction * left;
    const double d = double((p.x0 + tip - (k.point - k.velocity * chord)).dot(k.normal));
    if (!(d > 0)) return d <= 0 ? 0.0f : chord;
    const double v = double((p.v0 - k.velocity).dot(k.normal)), a = 0.5 * double(acceleration.dot(k.normal));
    const double disc = v * v - 4 * a * d;
    if (!(disc >= 0)) return chord;
    const double root = std::sqrt(disc);  // the time at which it comes down
    const double t = v <= 0 ? 2 * d / (root - v) : (-v - root) / (2 * a);
    return t >= 0 && t <= double(left) ? float(t) : chord;
}

/// Whether the contact ends the passage: it ends there, or sticks.
bool Collisions::endsAt(const Contact& k, SweptParticle& p) {
    const OnContact then = k.collider->then;
    if (then != OnContact::End && then != OnContact::Stick) return false;
    p.x1 = p.x0;
    if (then == OnContact::End) {
        p.ended = true;
        p.v1 = p.v0;
        return true;
    }
    p.v1 = k.velocity;
    p.stuckIn = int32_t(k.number + 1);
    if (!k.collider->surface) return true;
    if (k.back) p.stuckIn = -p.stuckIn;
    p.triangle = k.triangle, p.bary = k.bary;
    return true;
}

void Collisions::settle(SweptParticle& p, size_t first, size_t last) const {
    const float seconds = float(end_ - begin_) * frame_;
    if (!(seconds > 0)) return;
    V3f acceleration = (p.v1 - p.v0) / seconds;
    double begin = begin_;
    for (int round = 0; round < 8; ++round) {
        V3f tip(0.0f);
        const Contact best = firstContact(p, first, last, begin, tip);
        if (!best.collider) return;
        p.touched = true;
        const float left = float(end_ - begin) * frame_;
        float at = 0.0f;
        if (best.crossed) {
            at = timeAtPlane(best, p, tip, acceleration, left);
            p.x0 += p.v0 * at + acceleration * (0.5f * at * at);
            p.v0 += acceleration * at;
            const float off = (p.x0 + tip - best.point).dot(best.normal);
            p.x0 -= best.normal * off;
        }
        if (endsAt(best, p)) return;
        const float rest = std::max(0.0f, left - at);
        respond(best, acceleration, rest, tip, p);
        if (rest <= 0) return;
        begin = end_ - double(rest) / double(frame_);
    }
    p.x1 = p.x0;  // caught between surfaces
    p.v1 = V3f(0.0f);
}

V3f Collisions::tipOf(const Collider& c, const Quatf* turn, float scale) {
    return turn && c.ahead != 0 ? rotate(*turn, V3f(0, c.ahead * scale, 0)) : V3f(0.0f);
}

void Collisions::keepOut(const V3f& from, V3f& position, V3f& velocity, float scale, int32_t group,
                         Quatf* turn) const {
    SweptParticle p;
    p.x0 = from, p.scale = scale, p.group = group, p.turn = turn;
    for (int round = 0; round < 5; ++round) {
        p.x1 = position;
        V3f tip(0.0f);
        const Contact best = firstContact(p, 0, colliders_.size(), end_, tip);
        if (!best.collider) return;
        const V3f& n = best.normal;
        const float under = (best.point - position - tip).dot(n);
        if (round == 4 || !(under > 0)) {  // caught between surfaces, or past a corner
            position = from;
            return;
        }
        position += n * under;
        if (const float towards = (velocity - best.velocity).dot(n); towards < 0) velocity -= n * towards;
    }
}

bool Collisions::near(const V3f& position, float scale, int32_t group, const Quatf* turn) const {
    for (size_t i = 0; i < colliders_.size(); ++i) {
        const Collider& c = colliders_[i];
        if (!meets(c, group)) continue;
        const V3f tip = position + tipOf(c, turn, scale);
        const float reach = 2.0f * c.thickness;
        if (c.surface ? ended_[i].closest(tip, reach).hit
                      : (tip - c.point0 - (c.point1 - c.point0) * float(end_)).dot(c.normal) < reach)
            return true;
    }
    return false;
}

bool Collisions::rebind(int32_t stuckIn, const V3f& position, uint32_t& triangle, V2f& bary) const {
    const size_t number = size_t(std::abs(stuckIn)) - 1;
    if (number >= colliders_.size() || !colliders_[number].fresh || begin_ > 0) return false;
    const SurfaceHit hit = ended_[number].closest(position, std::numeric_limits<float>::infinity());
    if (!hit.hit) return false;
    triangle = hit.triangle, bary = V2f(hit.u, hit.v);
    return true;
}

/// How far it is at least from a box.
static float distanceTo(const Box3f& box, const V3f& p) {
    V3f off;
    for (int a = 0; a < 3; ++a) off[a] = std::max({box.min[a] - p[a], p[a] - box.max[a], 0.0f});
    return off.length();
}

void Collisions::pushOut(SweptParticle& p, float seconds, ContactCache& clear, float around) const {
    if (clear.passes(p.x0, p.x1, clear.close ? 0.0f : around)) return;
    const float moved = (p.x1 - p.x0).length();
    float clearance = std::numeric_limits<float>::infinity();  // to what it does not touch
    const bool close = clear.touching;
    clear.touching = clear.close = false;
    for (size_t i = 0; i < colliders_.size(); ++i) {
        const Collider& c = colliders_[i];
        // Farther than it must, so that the next substeps need not look.
        const float reach = close ? 2.0f * (c.thickness + moved)
                                  : std::max(2.0f * c.thickness + 6.0f * moved,
                                             1.5f * std::min(around, 16.0f * c.thickness) + c.thickness);
        if (!c.surface) {
            settleAt(p, i);
            clearance = std::min(clearance, (p.x1 - c.point1).dot(c.normal) - c.thickness);
            continue;
        }
        if (const float off = distanceTo(c.bounds, p.x1); off > reach && off > c.thickness + moved) {
            clearance = std::min(clearance, off - c.thickness);
            continue;
        }
        if (!c.surface->closed()) settleAt(p, i);  // only a way says on which side it is
        NearTriangles other;
        NearTriangles& near = clear.collider == i && clear.near ? *clear.near : other;
        const SurfaceHit hit = during_[i].closest(p.x1, reach, near);
        clear.close |= hit.hit || around > 16.0f * c.thickness;
        if (hit.hit && !clear.touching) {
            if (&near == &other) {
                if (!clear.near) clear.near = std::make_unique<NearTriangles>();
                *clear.near = other;
            }
            clear.collider = uint32_t(i), clear.triangle = hit.triangle;
        }
        const bool touched = std::exchange(p.touched, false);
        if (hit.hit && c.surface->closed()) pushOff(hit, i, seconds, p, clear);
        if (!p.touched || !c.surface->closed())
            clearance = std::min(clearance, (hit.hit ? hit.distance : reach) - c.thickness);
        else if (touched)
            clearance = 0;  // between two of them
        p.touched |= touched;
    }
    clear.touching &= clear.collider < colliders_.size() && clearance > 0;
    // Roundings of places of this size, and of distances to them.
    const bool known = clear.touching || !p.touched;
    clear.position = p.x1;
    clear.radius = known ? clearance - 1e-5f * (std::min(clearance, 1e6f) + p.x1.length()) : 0.0f;
}

void Collisions::settleAt(SweptParticle& p, size_t collider) const {
    SweptParticle passage = p;
    settle(passage, collider, collider + 1);
    p.x1 = passage.x1, p.touched |= passage.touched;
}

/// Off a closed mesh, from the closest place of it.
void Collisions::pushOff(const SurfaceHit& hit, size_t collider, float seconds, SweptParticle& p,
                         ContactCache& clear) const {
    const Collider& c = colliders_[collider];
    const V3f out = p.x1 - hit.position;
    const V3f outward = during_[collider].outwardAt(hit.triangle, hit.u, hit.v);
    const bool inside = out.dot(outward) < 0;
    if (!inside && hit.distance >= c.thickness) return;
    const V3f n = hit.distance > 1e-3f * c.thickness ? (inside ? -out : out) / hit.distance : outward;
    const V3f ground = c.surface->velocityAt(hit.triangle, hit.u, hit.v, end_) / frame_ * seconds;
    putOn(hit.position + n * c.thickness, n, ground, c.friction, p);
    const MovingTriangle k = during_[collider].triangle(hit.triangle);
    const V3f e1 = k.b - k.a, e2 = k.c - k.a, up = e1.cross(e2);
    const float area = up.length2();
    if (!(area > 0)) return;
    clear.touching = true;
    clear.on = hit.position, clear.up = n;
    clear.bary = V2f(hit.u, hit.v);
    clear.lean = V3f(n.cross(e2).dot(up) / area, e1.cross(n).dot(up) / area, n.dot(up) / std::sqrt(area));
}

bool Collisions::clearBetween(const V3f& a, const ContactCache* atA, const V3f& b,
                              const ContactCache& atB) const {
    const auto clearance = [](const ContactCache& c, const V3f& p) {
        return std::max(0.0f, c.radius - (p - c.position).length());
    };
    const float length2 = (b - a).length2();
    if (std::isfinite(atB.radius) && !(atA && std::isinf(atA->radius))) {
        const float both = clearance(atB, b) + (atA ? clearance(*atA, a) : 0.0f);
        if (both * both < length2) return false;
    }
    // What an end lies on is no part of that room: the piece must be above it at the other end too, or, where
    // both lie on something, cut off less than half the thickness of what bends between them.
    const auto above = [&](const ContactCache& c, const V3f& p) {
        return (p - c.on).dot(c.up) > -0.5f * colliders_[c.collider].thickness;
    };
    if (atA && atA->touching && atB.touching) {
        const float thickness = colliders_[atB.collider].thickness;
        return atA->collider == atB.collider &&
               (1.0f - atA->up.dot(atB.up)) * length2 < 8.0f * thickness * thickness;
    }
    if (atB.touching) return above(atB, a);
    return !atA || !atA->touching || above(*atA, b);
}

bool Collisions::pushPieceOut(V3f& a, const ContactCache* atA, V3f& b, const ContactCache& atB) const {
    bool moved = false;
    const bool held = !atA;
    for (size_t i = 0; i < colliders_.size(); ++i) {
        const Collider& c = colliders_[i];
        if (!c.surface || c.then == OnContact::Wake)
            continue;  // what is on one side of a plane at both ends is between
        Box3f box;
        box.extendBy(a), box.extendBy(b);
        if (!c.bounds.intersects(box)) continue;
        // What it is held by may be the surface itself: that end is not asked.
        const V3f begin = held ? a + (b - a) * 0.2f : a;
        const auto apartBy = [&](const ContactCache* at) {
            return at && at->near && at->collider == i && ended_[i].apart(begin, b, *at->near);
        };
        if (apartBy(&atB) || apartBy(atA)) continue;
        const Touch back = ended_[i].sweep(b, begin);
        if (!back.hit) continue;
        const Touch there = ended_[i].sweep(begin, b);
        if (!there.hit) continue;
        const float length2 = (b - a).length2();
        const float low = (there.position - a).dot(b - a) / length2,
                    high = (back.position - a).dot(b - a) / length2;
        if (!(high - low > 1e-5f)) continue;  // through a sheet: on which side it should be nobody knows
        const float t = 0.5f * (low + high);
        const V3f deep = a + (b - a) * t;
        const SurfaceHit near = ended_[i].closest(deep, std::numeric_limits<float>::infinity());
        if (!near.hit) continue;
        const V3f out = near.position - deep;
        const V3f n = near.distance > 1e-3f * c.thickness
                          ? out / near.distance
                          : ended_[i].outwardAt(near.triangle, near.u, near.v);
        const float wa = held ? 0.0f : 1.0f - t, wb = t, both = wa * wa + wb * wb;
        const V3f acceleration = n * ((near.distance + c.thickness) / std::max(both, 0.05f));
        a += acceleration * wa, b += acceleration * wb;
        moved = true;
    }
    return moved;
}

/// To a place a thickness off a surface; what presses it there rubs: the way along it is shorter by so much.
void Collisions::putOn(const V3f& on, const V3f& n, const V3f& ground, float friction,
                       SweptParticle& p) const {
    V3f along = on - p.x0 - ground;
    along -= n * along.dot(n);
    const float pressed = (on - p.x1).dot(n), slid = along.length();
    const float lost = std::min(slid, friction * pressed);
    p.x1 = slid > 0 ? on - along * (lost / slid) : on;
    p.touched = true;
}

/// Whether it is still where it last lay on a mesh, but for a part of the thickness.
bool Collisions::restsOn(SweptParticle& p, float seconds, const ContactCache& clear) const {
    const Collider& c = colliders_[clear.collider];
    V3f on = clear.on, n = clear.up, ground(0.0f);
    if (!during_[clear.collider].still()) {
        const MovingTriangle k = during_[clear.collider].triangle(clear.triangle);
        const V3f e1 = k.b - k.a, e2 = k.c - k.a;
        n = (e1 * clear.lean.x + e2 * clear.lean.y + k.normal() * clear.lean.z).normalized();
        on = k.at(clear.bary.x, clear.bary.y);
        ground = c.surface->velocityAt(clear.triangle, clear.bary.x, clear.bary.y, end_) / frame_ * seconds;
    }
    const V3f off = p.x1 - on;
    const float height = off.dot(n);
    const V3f along = off - n * height;
    if (!(along.length2() < 0.0625f * c.thickness * c.thickness) || !(std::abs(height) < 2.0f * c.thickness))
        return false;
    if (height < c.thickness) putOn(p.x1 + n * (c.thickness - height), n, ground, c.friction, p);
    return true;
}

Quatf Collisions::frameOf(int32_t stuckIn, uint32_t triangle) const {
    const Collider& c = colliders_[size_t(std::abs(stuckIn)) - 1];
    if (!c.surface || triangle >= c.surface->triangleCount()) return Quatf();
    const MovingTriangle k = c.surface->triangle(triangle, end_);
    return rootFrame(stuckIn < 0 ? -k.normal() : k.normal(), k.b - k.a);
}

void Collisions::moveWith(int32_t stuckIn, uint32_t triangle, const V2f& bary, V3f& position, V3f& velocity,
                          Quatf& frame) const {
    const size_t number = size_t(std::abs(stuckIn)) - 1;
    if (number >= colliders_.size()) return;
    const Collider& c = colliders_[number];
    if (c.surface && triangle >= c.surface->triangleCount()) return;
    frame = frameOf(stuckIn, triangle);
    if (!c.surface) {
        velocity = (c.point1 - c.point0) / frame_;
        position += velocity * (float(end_ - begin_) * frame_);
        return;
    }
    const MovingTriangle k = c.surface->triangle(triangle, end_);
    const V3f n = stuckIn < 0 ? -k.normal() : k.normal();
    position = k.at(bary.x, bary.y) + n * c.thickness;
    velocity = c.surface->velocityAt(triangle, bary.x, bary.y, end_) / frame_;
}

bool Collisions::wakes(const V3f& position, int32_t group) const {
    for (size_t i = 0; i < colliders_.size(); ++i) {
        const Collider& c = colliders_[i];
        if (c.then != OnContact::Wake || !c.surface || (c.group != 0 && c.group != group)) continue;
        if (during_[i].closest(position, c.reach).hit) return true;
    }
    return false;
}

bool Collisions::freed(V3f& position) const {
    bool moved = false;
    for (size_t i = 0; i < colliders_.size(); ++i) {
        const Collider& c = colliders_[i];
        if (!c.surface || c.then == OnContact::Wake || !c.bounds.intersects(position)) continue;
        if (!during_[i].inside(position)) continue;
        const SurfaceHit near = during_[i].closest(position, std::numeric_limits<float>::infinity());
        if (!near.hit) continue;
        const V3f out = near.position - position;
        const V3f n =
            out.length() > 1e-9f ? out.normalized() : c.surface->triangle(near.triangle, end_).normal();
        position = near.position + n * c.thickness;
        moved = true;
    }
    return moved;
}

}  // namespace ovrix::sim

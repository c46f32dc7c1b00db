#include "render/scene/instance_geometry.h"

#include <Imath/ImathMatrixAlgo.h>

#include "geo/surface/embree_device.h"

namespace ovrix::render {

namespace {

/// Turn, place, and what is left as scales and shears before both; false for a matrix that has no inverse. @p
/// last is the turn of the step before, and gets this one: of the two ways to write a turn, the one nearer to
/// that.
bool takeApart(const M44f& m, Quatf& last, RTCQuaternionDecomposition& parts) {
    V3f scale, shear, angles, place;
    M44f rest = m;
    if (!(std::abs(m.determinant()) > 1e-20f) || !Imath::extractSHRT(m, scale, shear, angles, place, false))
        return false;
    M44f turn;
    turn.setEulerAngles(angles);
    Quatf q = Imath::extractQuat(turn);
    q.normalize();
    if ((q ^ last) < 0) q = -q;
    last = q;
    rest[3][0] = rest[3][1] = rest[3][2] = 0;
    const M44f before = rest * turn.inverse();  // what comes first: lower triangular, as rows
    rtcInitQuaternionDecomposition(&parts);
    rtcQuaternionDecompositionSetQuaternion(&parts, q.r, q.v.x, q.v.y, q.v.z);
    rtcQuaternionDecompositionSetScale(&parts, before[0][0], before[1][1], before[2][2]);
    rtcQuaternionDecompositionSetSkew(&parts, before[1][0], before[2][0], before[2][1]);
    rtcQuaternionDecompositionSetTranslation(&parts, m[3][0], m[3][1], m[3][2]);
    return true;
}

/// A matrix that has an inverse: the ray tracer ends the program on one that has none. What has no size along
/// one way gets a millionth of its largest there, and what is no number is a dot at the origin.
M44f invertible(const M44f& m) {
    constexpr float kThin = 1e-6f, kSmallest = 1e-9f;
    const V3f x(m[0][0], m[0][1], m[0][2]), y(m[1][0], m[1][1], m[1][2]), z(m[2][0], m[2][1], m[2][2]),
        place(m[3][0], m[3][1], m[3][2]);
    const float lengths[] = {x.length(), y.length(), z.length()};
    const float most = std::max({lengths[0], lengths[1], lengths[2]});
    const float thinnest = std::abs(x.dot(y.cross(z)));
    if (thinnest > kThin * most * most * most && most > kSmallest && isFinite(place)) return m;
    M44f out;
    if (!std::isfinite(most) || !std::isfinite(thinnest) || !isFinite(place)) {
        out.setScale(kSmallest);
        return out;
    }
    Imath::M33d turned, rest;
    V3d sizes;
    Imath::jacobiSVD(Imath::M33d(double(x.x), double(x.y), double(x.z), double(y.x), double(y.y), double(y.z),
                                 double(z.x), double(z.y), double(z.z)),
                     turned, sizes, rest);
    Imath::M33d sized;
    const double least = std::max(double(kSmallest), double(kThin) * std::abs(sizes.x));
    for (int k = 0; k < 3; ++k) sized[k][k] = std::max(std::abs(sizes[k]), least);
    const Imath::M33d whole = turned * sized * rest.transposed();
    for (int r = 0; r < 3; ++r)
        for (int c = 0; c < 3; ++c) out[r][c] = float(whole[r][c]);
    out[3][0] = place.x, out[3][1] = place.y, out[3][2] = place.z;
    return out;
}

}  // namespace

// Row vectors: the library's columns are our rows.
RTCGeometry newInstance(RTCScene prototype, size_t steps, const std::function<M44f(size_t)>& matrix) {
    RTCGeometry geometry = rtcNewGeometry(embreeDevice(), RTC_GEOMETRY_TYPE_INSTANCE);
    rtcSetGeometryInstancedScene(geometry, prototype);
    if (steps > 1) rtcSetGeometryTimeStepCount(geometry, unsigned(steps));
    // In between, matrices would shrink what turns: turns are blended as turns, where all steps have one.
    Quatf last;
    std::vector<RTCQuaternionDecomposition> parts(steps > 1 ? steps : 0);
    bool turns = steps > 1;
    for (size_t k = 0; k < parts.size() && turns; ++k)
        turns = takeApart(invertible(matrix(k)), last, parts[k]);
    for (size_t k = 0; k < steps; ++k) {
        if (turns)
            rtcSetGeometryTransformQuaternion(geometry, unsigned(k), &parts[k]);
        else
            rtcSetGeometryTransform(geometry, unsigned(k), RTC_FORMAT_FLOAT4X4_COLUMN_MAJOR,
                                    invertible(matrix(k)).getValue());
    }
    rtcCommitGeometry(geometry);
    return geometry;
}

}  // namespace ovrix::render

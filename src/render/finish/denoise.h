// Cleaning a picture of the noise that few samples leave, by a network and by what passes beside the light.
#pragma once
#include <span>
#include <vector>

#include "base/progress.h"
#include "render/film/film.h"

namespace ovrix::render {

/// What takes noise out. Thread safe: several pictures may be cleaned at once.
class DenoiserNetwork {
  public:
    static constexpr int kStep = 16;       ///< sides are whole numbers of it
    static constexpr int kReach = 96;      ///< pixels further away change nothing; a whole number of steps
    static constexpr int kMargin = kStep;  ///< pixels mirrored beyond the picture: it sees its border badly
    static constexpr int kPlanes = 9;      ///< light, albedo and normal, three each
    static constexpr int kBytes = 640;     ///< of memory for a pixel, at most, while it works
    virtual ~DenoiserNetwork() = default;
    /// That it takes: kPlanes, or three for one that cleans what beside the light tells of a picture.
    virtual int planes() const { return kPlanes; }
    /// @param in   planes() planes of width x height, one after the other, all in about 0 to 1
    /// @param out  three such planes
    /// The same bits on any number of threads. Throws Cancelled.
    virtual void run(std::span<const float> in, int width, int height, std::span<float> out,
                     Progress& progress) const = 0;
};

/// A picture in pieces that overlap by the network's reach, so that they join without a seam.
struct DenoisePiece {
    Rect core;   ///< what is taken of it
    Rect whole;  ///< what is given to the network, with a margin beyond the picture's borders; sides are then
                 ///< filled up to whole steps, mirrored too
};
/// @param most  pixels of a piece, its overlap among them; pieces are larger only where they cannot be less
/// The pieces' cores cover the picture once.
std::vector<DenoisePiece> denoisePieces(int width, int height, size_t most);

/// What cleans albedo and normals before the light is cleaned by them, by a network that was taught so.
struct GuideNetworks {
    const DenoiserNetwork &albedo, &normal;
};

/// The light of every pixel of the film, rows from the top, linear and without noise; pixels without a sample
/// count as black. The picture is brought to a middle exposure for the network, and light is squeezed by a
/// perceptually uniform curve, so that bright and dark are cleaned alike. Where little noise is left the
/// film's own light stays, as much as that is better, so that a picture that is clean stays itself: of all
/// light, whose noise is known. What is not finite counts as 0. Throws Cancelled.
/// @param group   of lights, whose light alone is wanted
/// @param guides  null for albedo and normals as they are
/// @param exposure  see middleExposure(); 0 for that of this light
std::vector<V3f> denoised(const Film& film, const DenoiserNetwork& network, Progress& progress,
                          int group = kAllLights, const GuideNetworks* guides = nullptr,
                          float exposure = 0.0f);
/// The factor that brings a film's light to a middle exposure: for pieces of one picture, that of all of it.
float middleExposure(const Film& film);

/// The same of a part of the film's light, of all pixels: no noise of its own is known, so none of it stays.
std::vector<V3f> denoisedPart(const Film& film, const std::vector<V3f>& part, const DenoiserNetwork& network,
                              Progress& progress, const GuideNetworks* guides = nullptr,
                              float exposure = 0.0f);

/// Memory that denoised() takes at most, its result included.
double denoiserBytes(int width, int height);

/// Light as the network takes it, 0 to 1 for 0 to 65504, and back. Monotonic; one undoes the other within a
/// thousandth of the value, from 1e-6 on.
float squeezed(float light);
float unsqueezed(float value);

}  // namespace ovrix::render

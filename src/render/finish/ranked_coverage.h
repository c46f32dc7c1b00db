// Coverage as channels of pictures, by the open Cryptomatte specification (version 1.2): of each pixel the
// things that cover most of it, each as a hash of its name and its part of the pixel.
#pragma once
#include <map>
#include <span>
#include <string>
#include <vector>

#include "render/film/film.h"

namespace ovrix::render {

/// A name as the specification has it: MurmurHash3 of 32 bits, with an exponent that makes it a normal
/// number where channels hold its bits.
uint32_t coverageHash(const std::string& name);

/// Things that a pixel shows at most in a file; what is left covers least.
inline constexpr size_t kCoverageRanks = 6;

/// Two planes for each rank, from the largest: the id, and which part of the pixel it covers. Things of one
/// name count together; among alike ones the lower hash comes first.
/// @param names  of the film's numbers; those without one are left out
std::vector<std::vector<float>> rankedCoverage(const Film& film, Pass pass,
                                               const std::map<uint32_t, std::string>& names);
/// The same of numbers that have no names: their own hash is their id.
std::vector<std::vector<float>> rankedCoverage(const Film& film, Pass pass);

/// What a file's header says of such a layer, by the specification.
/// @param layer  its name, as in the names of its channels
std::map<std::string, std::string> coverageNotes(const std::string& layer,
                                                 std::span<const std::string> names);

}  // namespace ovrix::render

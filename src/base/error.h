// Errors carry what went wrong, where, and what to do about it; one boundary shows them.
#pragma once
#include <exception>
#include <stdexcept>
#include <string>

#include "base/house.h"

namespace ovrix::base {

class Error : public std::runtime_error {
  public:
    /// @param what    what went wrong, a sentence without a full stop
    /// @param where   file, layer, step or parameter it concerns; may be empty
    /// @param remedy  what the user can do; may be empty
    explicit Error(const std::string& what, std::string where = {}, std::string remedy = {});

    const std::string& problem() const { return problem_; }
    const std::string& where() const { return where_; }
    const std::string& remedy() const { return remedy_; }
    /// The same, said of something inside of @p place.
    Error within(const std::string& place) const;

  private:
    std::string problem_, where_, remedy_;
};

/// What a person is told of any exception: Errors as they are, all else in our words and never in a
/// library's.
std::string problemOf(const std::exception& exception);

/// Puts into the log what a library said of a file: it helps those who mend, and is not for messages.
void logDetail(const std::string& file, const std::string& said);

/// Thrown out of long work after Progress::cancel(); not a failure.
class Cancelled : public std::exception {
  public:
    const char* what() const noexcept override { return "cancelled"; }
};

}  // namespace ovrix::base

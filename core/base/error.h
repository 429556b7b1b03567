#pragma once
#include <fmt/format.h>

#include <stdexcept>
#include <string>

namespace zentil {

/// Something a person can act on: what is wrong, where (a file, a frame), and what to do about it.
/// Thrown where the program meets the outside world; inside, preconditions are asserted.
class Error : public std::runtime_error {
 public:
  Error(const std::string& problem, const std::string& remedy)
      : std::runtime_error(problem + (remedy.empty() ? "" : ". " + remedy + ".")), problem_(problem), remedy_(remedy) {}

  const std::string& problem() const { return problem_; }
  const std::string& remedy() const { return remedy_; }

 private:
  std::string problem_, remedy_;
};

/// The work was stopped by the person who started it. Not an error: nothing is reported.
class Stopped : public std::exception {
 public:
  const char* what() const noexcept override { return "stopped"; }
};

}  // namespace zentil

#pragma once
#include <cstdlib>

namespace zentil::test {

/// How often a check repeats: a part of it as every change is tested, all of it with `./run tests --all`.
inline int some(int part, int all) { return std::getenv("ZENTIL_ALL") ? all : part; }

/// Seconds that a test allows: where every access is watched, thirty times as many.
inline double seconds(double s) { return std::getenv("ZENTIL_WATCHED") ? 30 * s : s; }

}  // namespace zentil::test

#pragma once
#include <cstdlib>

namespace zentil::test {

/// How often a check repeats: a part of it as every change is tested, all of it with `./run tests --all`.
inline int some(int part, int all) { return std::getenv("ZENTIL_ALL") ? all : part; }

/// Whether every access to memory is watched, by a sanitizer or valgrind: everything takes some thirty times as long.
inline bool watched() { return std::getenv("ZENTIL_WATCHED") != nullptr; }
/// As above; where it is watched, no more than shows every step once.
inline int some(int part, int all, int once) { return watched() ? once : some(part, all); }
/// Seconds that a test allows.
inline double seconds(double s) { return watched() ? 30 * s : s; }

}  // namespace zentil::test

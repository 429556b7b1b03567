#pragma once
#include <cstdlib>

namespace zentil::test {

/// How often a check repeats: a part of it as every change is tested, all of it with `./run tests --all`.
inline int some(int part, int all) { return std::getenv("ZENTIL_ALL") ? all : part; }

}  // namespace zentil::test

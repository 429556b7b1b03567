#pragma once
#include <functional>

namespace zentil {

/// Calls body(first, last) on pieces of [begin, end) from all cores; returns when all are done. An exception
/// thrown by a piece is thrown here. Pieces hold at least `grain` steps.
void parallelRanges(int begin, int end, int grain, const std::function<void(int first, int last)>& body);

/// Lets the calling thread give way to interactive ones; background threads call it once at their start.
void yieldToInterface();

/// Makes the library's own worker threads give way to interactive ones. An application with a window calls it once.
void makeWorkersYield();

}  // namespace zentil

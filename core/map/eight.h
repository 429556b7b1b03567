#pragma once
// Numbers that are worked on together.

namespace zentil::map {

/// Side of the cells that a resampled region is cut into, pixels.
constexpr int kCell = 8;

using Four = float __attribute__((vector_size(16)));
using Eight = float __attribute__((vector_size(32)));
using EightInts = int __attribute__((vector_size(32)));

}  // namespace zentil::map

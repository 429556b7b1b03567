#pragma once
#include <cstdint>
#include <string_view>

namespace zentil {

/// FNV-1a, 64 bit (Fowler, Noll, Vo 1991; RFC 9923): a content key for caches and for telling what is stale.
/// Not for security.
constexpr uint64_t hashOf(std::string_view text, uint64_t seed = 14695981039346656037ULL) {
  for (const char c : text) seed = (seed ^ static_cast<unsigned char>(c)) * 1099511628211ULL;
  return seed;
}

constexpr uint64_t hashOf(uint64_t value, uint64_t seed) {
  for (int i = 0; i < 8; ++i) seed = (seed ^ ((value >> (8 * i)) & 0xff)) * 1099511628211ULL;
  return seed;
}

}  // namespace zentil

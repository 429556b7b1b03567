#pragma once

namespace zentil::comp {

/// Counts up with every change of how pixels are made: what was delivered, or kept on disk, by an earlier count is made
/// again.
constexpr int kPixelsVersion = 11;

}  // namespace zentil::comp

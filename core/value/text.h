#pragma once
#include <string>

#include "core/value/setting.h"

namespace zentil::value {

/// A number as a person types it: digits, and sums of them (12*2, 1/3, 4-0.5, brackets). Throws Error with a remedy.
double numberFrom(const std::string& text);

/// The same, in the unit that is shown and within the setting's limits; as it is kept. Throws Error.
double parseClamped(const std::string& text, const About& about);

/// A kept number as it is shown, without its unit.
std::string shownText(double kept, const About& about);

}  // namespace zentil::value

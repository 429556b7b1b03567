#pragma once
#include "core/element/element.h"

namespace zentil::edit {

/// Far behind everything, as an element's source begins there: a picture twice as wide as high is one of all around.
element::Place farPlaceOf(const element::Element& e);

}  // namespace zentil::edit

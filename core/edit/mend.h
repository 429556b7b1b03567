#pragma once
#include <string>

#include "core/measure/shade.h"
#include "core/shot/shot.h"

namespace zentil::edit {

/// A patch taken from this frame of its plate; a clean picture that stood for the one before goes. Throws Error for an
/// element that is held at no frame.
void takeFrame(shot::Shot& shot, const std::string& elementId, int frame);

/// A measured shade as what a shadow lets through, at a frame, and its edge as that of the matte, where that is one
/// drawn part without keys. Throws Error for an element that is no shadow.
void takeShade(shot::Shot& shot, const std::string& elementId, const measure::Shade& shade, int frame);

}  // namespace zentil::edit

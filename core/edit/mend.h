#pragma once
#include <string>
#include <vector>

#include "core/measure/shade.h"
#include "core/shot/shot.h"

namespace zentil::edit {

/// A patch taken from this frame of its plate; a clean picture that stood for the one before goes. Throws Error for an
/// element that is held at no frame.
void takeFrame(shot::Shot& shot, const std::string& elementId, int frame);

/// A fill taken from all frames there are, or 48 evenly among them; `first` has the first say. Throws Error for an
/// element that is not put together from frames. The frames.
std::vector<int> gatherAll(shot::Shot& shot, const std::string& elementId, int first);
/// A fill taken from these frames, part by part.
void gatherFrom(shot::Shot& shot, const std::string& elementId, const std::vector<int>& frames);

/// Measured grain as that of the plate that is worked on, laid fresh on an element from now on (empty: on none).
void takeGrain(shot::Shot& shot, const image::Grain& grain, const std::string& elementId);

/// A source taken from elsewhere on its surface, metres to the right and up, at a frame. Throws Error for an element
/// whose source has no elsewhere.
void takeElsewhere(shot::Shot& shot, const std::string& elementId, const Vec2& fromM, int frame);
/// Where it is taken from, at a frame.
Vec2 elsewhereOf(const shot::Shot& shot, const std::string& elementId, int frame);

/// A measured shade as what a shadow lets through, at a frame, and its edge as that of the matte, where that is one
/// drawn part without keys. Throws Error for an element that is no shadow.
void takeShade(shot::Shot& shot, const std::string& elementId, const measure::Shade& shade, int frame);

}  // namespace zentil::edit

#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "core/comp/render_cache.h"
#include "core/measure/shade.h"
#include "core/shot/shot.h"

namespace zentil::edit {

/// A patch taken from this frame of its plate; a clean picture that stood for the one before goes. Throws Error for an
/// element that is held at no frame.
void takeFrame(shot::Shot& shot, const std::string& elementId, int frame);

/// A fill taken from all frames there are, or 48 evenly among them; `first` has the first say. Throws Error for an
/// element that is not put together from frames. The frames.
std::vector<int> fillFromAll(shot::Shot& shot, const std::string& elementId, int first);
/// Frames that a fill may be taken from, `first` (or the nearest to it) first: all that a plate (by id; empty: the one
/// that is worked on) and what carries the place have, or 48 evenly among them. Throws Error when there is none.
std::vector<int> fillFrames(const shot::Shot& shot, const element::Place& place, const std::string& plateId, int first);
/// A fill taken from these frames, part by part.
void fillFrom(shot::Shot& shot, const std::string& elementId, const std::vector<int>& frames);

/// Adds a stroke to an element of paint; its id. `range` empty: on all of the element's frames. Throws Error for an
/// element that is not paint.
std::string addStroke(shot::Shot& shot, const std::string& elementId, const element::Brush& brush,
                      const element::PenPath& penPath, const FrameRange& range = {});
/// Takes the last stroke out. Throws Error where there is none.
void removeLastStroke(shot::Shot& shot, const std::string& elementId);
/// Writes the picture of a painted element's frame, with what is painted so far, for another program (as shot, or
/// straight), and a second copy of it beside; once the first is saved over, the element takes what changed in it.
/// Throws Error where either file is there already or cannot be written.
void sendOut(shot::Shot& shot, const std::string& elementId, const std::filesystem::path& file, bool straight,
             comp::RenderCache& cache);

/// A measured level as an element's match, at a frame.
void takeLevel(shot::Shot& shot, const std::string& elementId, const element::Rgb& gain, int frame);

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

#pragma once
#include <string>
#include <vector>

#include "core/shot/source_words.h"
#include "core/value/turn.h"

namespace zentil::shot {

/// An element's settings as a sentence: "Cover on plank wall with frame 1042, inside stand outline softened 20 px, ..."
/// Keyed words show what holds on `frame`.
Sentence recipeOf(const Shot& shot, const element::Element& element, int frame);
/// The settings that are rarely touched.
Sentence detailsOf(const Shot& shot, const element::Element& element, int frame);
/// A matte's parts, a sentence each.
Sentence recipeOf(const Shot& shot, const matte::Matte& matte, const matte::Part& part, int frame);
/// A stroke of an element of paint.
Sentence recipeOf(const Shot& shot, const element::Element& element, const element::Stroke& stroke, int frame);
/// A spot's place, turn and size, and what its depth is from.
Sentence recipeOf(const Shot& shot, const set::Spot& spot, int frame);
/// How camera, set and spots are handed on.
Sentence handingRecipe(const Shot& shot);
/// What a hold needs that was just chosen: a spot, and a frame to be steadied to.
void beginSteady(Shot& shot);
/// How the picture is steadied.
Sentence steadyRecipe(const Shot& shot, int frame);
/// The flat view that a 2:1 plate is written as.
Sentence flatViewRecipe(const Shot& shot, int frame);
/// A surface's place, turn (degrees about its own X, Y, Z; applied Y, X, Z) and size.
Sentence recipeOf(const Shot& shot, const set::MovingSurface& surface, int frame);
/// A plate's role, shift and colours.
Sentence recipeOf(const Shot& shot, const PlateUse& plate, int frame);
/// How frames are delivered.
Sentence deliveryRecipe(const Shot& shot);
/// The plate that is worked on: its frames, its rate, how its files are read.
Sentence plateRecipe(const Shot& shot, int frame);
/// What is followed by itself, and where.
Sentence trackRecipe(const Shot& shot, int frame);
/// How the lens bends; and how it squeezes, and whether it changes.
Sentence lensRecipe(const Shot& shot, int frame);
Sentence lensForm(const Shot& shot, int frame);
/// The camera's body: film back, and the focal length where no pose says it.
Sentence bodyRecipe(const Shot& shot, int frame);
/// Which thing's own move is solved before the camera.
Sentence objectRecipe(const Shot& shot, int frame);
/// What the camera's solve is asked for.
Sentence solveRecipe(const Shot& shot, int frame);

/// Changes one setting, named by its path in the shot ("elements.e1.look.opacity", "surfaces.s1.position.x"); `value`
/// as the word's chosen value, or a number as text in the unit shown. A setting with keys gets one at `frame`. Throws
/// Error for a value that makes no sense, with nothing changed. Besides settings there are
///   elements.ID.match     "0": gain and offset are nothing again
///   elements.ID.source.strokes.ID.only   "1": a stroke shows on the frame it is painted on alone; "0": on all
///   elements.ID.covered   a matte's id, or "" for everywhere
///   mattes.ID.parts.ID.ride   "screen", "surface" or "region N"
///   delivery.ending       ".exr"
void setWord(Shot& shot, const std::string& path, const std::string& value, int frame);

/// Names in `after` that were made of others' ("Patch on wall", "Patch on wall outline") follow those that changed.
void followNames(const Shot& before, Shot& after);

/// What a path is called in undo and messages: "strength", "softness".
std::string wordsFor(const Shot& shot, const std::string& path);

/// What every kind of source can do, as data: for lists that offer them.
struct SourceKind {
  const char *kind, *noun, *tip;
  bool fromFiles;
};
std::vector<SourceKind> sourceKinds();
std::vector<Action> actionsOf(const element::Element& element);
std::optional<int> pinOf(const element::Element& element);
/// A new element of a kind (by SourceKind::kind), on a surface, at a frame; its id is fresh, it is not in the shot yet.
element::Element freshElement(const Shot& shot, const std::string& kind, const std::string& surface, int frame);

}  // namespace zentil::shot

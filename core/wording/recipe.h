#pragma once
#include <string>
#include <vector>

#include "core/value/turn.h"
#include "core/wording/source_words.h"

namespace zentil::wording {

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
/// How camera, set and spots are exported.
Sentence exportRecipe(const Shot& shot);
/// How the picture is steadied.
Sentence steadyRecipe(const Shot& shot, int frame);
/// The flat view that a 2:1 plate is written as.
Sentence flatViewRecipe(const Shot& shot, int frame);
/// A surface's place, turn (degrees about its own X, Y, Z; applied Y, X, Z) and size.
Sentence recipeOf(const Shot& shot, const set::MovingSurface& surface, int frame);
/// A plate's role, shift and colours.
Sentence recipeOf(const Shot& shot, const shot::PlateUse& plate, int frame);
/// The move of another shot that the camera goes by.
Sentence moveRecipe(const Shot& shot, int frame);
/// How frames are delivered.
Sentence deliveryRecipe(const Shot& shot);
/// The view that is delivered, and its size.
Sentence outputRecipe(const Shot& shot, int frame);
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

/// What a path is called in undo and messages: "strength", "softness".
std::string wordsFor(const Shot& shot, const std::string& path);

/// What every kind of source can do, as data: for lists that offer them.
struct SourceKind {
  const char *kind, *noun, *tip;
  bool fromFiles;
};
std::vector<SourceKind> sourceKinds();
std::optional<int> pinOf(const element::Element& element);

}  // namespace zentil::wording

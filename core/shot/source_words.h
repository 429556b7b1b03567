#pragma once
#include <optional>

#include "core/shot/words.h"

namespace zentil::shot {

/// Something a person can do with an element of a kind, besides its words.
struct Action {
  std::string key;    ///< "useFrame", "picture", ...: what the window or command is asked for
  std::string label;  ///< on its button
  std::string tip;
};

/// What is said of a kind of source; each kind's own file (held_frame.cpp, render.cpp...) defines it.
template <typename Kind>
struct SourceWords {
  /// What people call an element of it: "patch".
  static const char* noun();
  /// What it is told by when it is offered.
  static const char* tip();
  static Sentence sentence(const element::Element& e, const Kind& source, const Wording& w);
  /// What is rarely touched, after strength and frames.
  static Sentence details(const element::Element& e, const Kind& source, const Wording& w);
  static std::vector<Action> actions();
  static void problems(const element::Element& e, const Kind& source, const Shot& shot, std::vector<Problem>& out);
  /// The frame that it is held at, for a pin on the strip; none for what moves.
  static std::optional<int> pin(const Kind& source);
  /// A new one, for an element that is made at a frame. Throws Error when the shot has not what it needs.
  static element::Element fresh(const Shot& shot, const std::string& surface, int frame);
  /// True when it is begun from files that a person chooses.
  static bool fromFiles();
};

// What several kinds say alike.

/// "inside m1 softened 20 px," or "shown everywhere,".
void addCover(Sentence& sentence, const element::Element& e, const Wording& w);
/// The matte as one word.
Word coverWord(const element::Element& e, const Wording& w);
/// "as it is," or "matched in level,"; `follows`: or following the light around it.
/// Begins a row of details: what follows stands beside this label.
void addRow(Sentence& sentence, const char* label);
/// The last comma becomes a full stop.
void endSentence(Sentence& sentence);
void addMatch(Sentence& sentence, const element::Element& e, const Wording& w, bool follows = false);
/// What carries an element, as one word: a surface or a region (see setWord: "elements.e1.on").
Word placeWord(const element::Element& e, const Wording& w);
/// A stroke of an element of paint (by id) on the frame it is painted on alone, or on all. Throws Error for what is
/// gone.
bool setOnlyHere(element::Element& e, std::string_view stroke, bool only);
/// On the screen: where nothing carries it.
element::Place onTheScreen();
bool isOnTheScreen(const element::Place& place);
/// The name of that.
std::string nameOfPlace(const Shot& shot, const element::Place& place);
/// Whether what carries a place is known on a frame: a camera, or the region's motion.
bool carries(const Shot& shot, const element::Place& place, int frame);
/// Of what lies in a flat view of a sphere: how that is steered.
void addSteer(Sentence& sentence, const element::Element& e, const Wording& w);
/// "laid over the plate."
void addMerge(Sentence& sentence, const element::Element& e, const Wording& w);
/// What is rarely touched of what is taken from a plate: match, shift, which plate.
Sentence plateDetails(const element::Element& e, const Wording& w);
/// "its grain as it is," or "with fresh grain,".
void addGrain(Sentence& sentence, const element::Element& e, const Wording& w);
/// What is wrong with fresh grain: it was not measured, or the source keeps its own (`keepsOwn`).
void grainProblems(const element::Element& e, const Shot& shot, bool keepsOwn, std::vector<Problem>& out);
/// Gain and offset, channel by channel.
Sentence matchDetails(const element::Element& e, const Wording& w);
/// Which layer of files that have several.
void addLayers(Sentence& sentence, const std::string& path, const image::Plate& files);
/// What is wrong with a sequence of an element's own: frames without files, frames it has not, another rate.
void sequenceProblems(const element::Element& e, const image::Plate& files, int shift, element::Beyond beyond,
                      const Shot& shot, std::vector<Problem>& out);
/// Frames that a fill may be taken from, `first` (or the nearest to it) first: all that a plate (by id; empty: the one
/// that is worked on) and what carries the place have, or 48 evenly among them. Throws Error when there is none.
std::vector<int> framesToGather(const Shot& shot, const element::Place& place, const std::string& plateId, int first);
/// An element on this surface, or on the shot's first; without a camera or surfaces on its first region. Throws Error
/// when there is neither.
element::Element onSurface(const Shot& shot, const std::string& surface);

}  // namespace zentil::shot

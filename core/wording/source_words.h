#pragma once
#include <optional>

#include "core/wording/words.h"

namespace zentil::wording {

/// What is said of a kind of source; each kind's own file (fill_words.cpp, cg_words.cpp, ...) defines it.
template <typename Kind>
struct SourceWords {
  /// What people call an element of it: "patch".
  static const char* noun();
  /// What it is told by when it is offered.
  static const char* tip();
  static Sentence sentence(const element::Element& e, const Kind& source, const SettingWords& w);
  /// What is rarely touched, after strength and frames.
  static Sentence details(const element::Element& e, const Kind& source, const SettingWords& w);
  /// The frame that it is held at, for a pin on the strip; none for what moves.
  static std::optional<int> pin(const Kind& source);
};

// What several kinds say alike.

/// "inside m1 softened 20 px," or "shown everywhere,".
void addCover(Sentence& sentence, const element::Element& e, const SettingWords& w);
/// The matte as one word.
Word coverWord(const element::Element& e, const SettingWords& w);
/// Begins a row of details under this label.
void addRow(Sentence& sentence, const char* label);
/// The last comma becomes a full stop.
void endSentence(Sentence& sentence);
/// The row "Level": its own, matched, or (`follows`) following the light around it.
void addMatch(Sentence& sentence, const element::Element& e, const SettingWords& w, bool follows = false);
/// What carries an element, as one word: a surface or a region (see setWord: "elements.e1.on").
Word placeWord(const element::Element& e, const SettingWords& w, bool far = false);
/// Of what lies in a flat view of a sphere: how that is steered.
void addSteer(Sentence& sentence, const element::Element& e, const SettingWords& w);
/// Where a picture lies that is far behind; nothing for other places.
void addFar(Sentence& sentence, const element::Element& e, const SettingWords& w);
/// The row "Blend": over, plus, screen or multiply.
void addMerge(Sentence& sentence, const element::Element& e, const SettingWords& w);
/// What is rarely touched of what is taken from a plate: match, shift, which plate.
Sentence plateDetails(const element::Element& e, const SettingWords& w);
/// The row "Grain": its own, or fresh grain and how strong.
void addGrain(Sentence& sentence, const element::Element& e, const SettingWords& w);
/// Gain and offset, channel by channel.
Sentence matchDetails(const element::Element& e, const SettingWords& w);
/// Rows for the stages that say how theirs reads (element::StageRow).
void addStages(Sentence& s, const element::Element& e, const SettingWords& w);
/// Which layer of files that have several.
void addLayers(Sentence& sentence, const std::string& path, const image::Plate& files);

}  // namespace zentil::wording

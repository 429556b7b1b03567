#pragma once
#include <string>
#include <utility>
#include <vector>

#include "core/shot/shot.h"

namespace zentil::shot {

/// One word, or few, of a recipe: plain text between, or a live word that stands for a setting.
struct Word {
  enum class Kind {
    Plain,
    Choice,
    Number,
    Frame,
    Text,  ///< a click asks for another (a file)
    Name   ///< typed in place
  };
  std::string text;  ///< as it reads in the sentence
  Kind kind = Kind::Plain;
  std::string key;                                           ///< which setting: "surface", "sourceFrame", "opacity"...
  double value = 0, least = 0, most = 0, step = 1;           ///< Number and Frame
  std::string unit;                                          ///< "px", "%"
  std::vector<std::pair<std::string, std::string>> choices;  ///< Choice: value, label
  std::string chosen;
};
using Sentence = std::vector<Word>;

/// An element's settings as a sentence: "Cover on plank wall with frame 1042, inside stand outline softened 20 px, ..."
Sentence recipeOf(const Shot& shot, const element::Element& element);
/// The settings that are rarely touched.
Sentence detailsOf(const Shot& shot, const element::Element& element);
/// A surface's place, turn (degrees about its own X, Y, Z; applied Y, X, Z) and size.
Sentence recipeOf(const set::Surface& surface);
/// How frames are delivered.
Sentence recipeOf(const Delivery& delivery, const FrameRange& range);

/// The sentence as plain text.
std::string textOf(const Sentence& sentence);

/// Changes one setting of the thing a sentence describes; `value` as the word's chosen value, or a number as text.
/// Throws Error for a value that makes no sense, with nothing changed.
void setWord(Shot& shot, element::Element& element, const std::string& key, const std::string& value);
void setWord(set::Surface& surface, const std::string& key, const std::string& value);
void setWord(Shot& shot, const std::string& key, const std::string& value);

/// Rotation about Y, then X, then Z of the turned axes, in degrees, and back.
Vec3 turnDegrees(const Mat3& turn);
Mat3 turnFromDegrees(const Vec3& degrees);

}  // namespace zentil::shot

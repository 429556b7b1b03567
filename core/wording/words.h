#pragma once
#include <string>
#include <utility>
#include <vector>

#include "core/shot/shot.h"

namespace zentil::wording {

using shot::Shot;

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
  std::string key;                                           ///< the setting's path in the shot (see setWord)
  double value = 0, least = 0, most = 0, step = 1;           ///< Number and Frame, as shown
  std::string unit;                                          ///< "px", "%"
  std::vector<std::pair<std::string, std::string>> choices;  ///< Choice: value, label
  std::string chosen;
  bool keyable = false, keyed = false, keyHere = false;  ///< may change over the shot; does; has a key on this frame
};
using Sentence = std::vector<Word>;

/// The sentence as plain text.
std::string textOf(const Sentence& sentence);

/// What the words of a sentence are made from: the shot, and the frame that is looked at.
class SettingWords {
 public:
  SettingWords(const Shot& shot, int frame) : shot_(shot), frame_(frame) {}
  const Shot& shot() const { return shot_; }
  int frame() const { return frame_; }

  static Word plain(const std::string& text);
  /// A setting's number or frame, with its unit and limits.
  Word number(const std::string& path, const std::string& before = {}) const;
  /// A setting that is one of a few; `labels` give each value its words, in order (yes or no: no first).
  Word choice(const std::string& path, const std::vector<std::string>& labels) const;
  /// A setting that names something of the shot.
  Word thing(const std::string& path) const;
  /// A choice that is no setting by itself (see setWord).
  static Word special(const std::string& path, const std::string& chosen,
                      std::vector<std::pair<std::string, std::string>> choices, const std::string& whenNone = {});
  /// A file, asked for by a click.
  static Word file(const std::string& path, const std::string& text);
  /// The things of a list: id and name.
  std::vector<std::pair<std::string, std::string>> things(const std::string& list) const;

 private:
  const Shot& shot_;
  int frame_;
};

}  // namespace zentil::wording

#include "core/wording/words.h"

#include "core/edit/set_word.h"
#include "core/shot/track_json.h"
#include "core/value/path.h"

namespace zentil::wording {

std::string textOf(const Sentence& sentence) {
  std::string out;
  for (const Word& w : sentence) out += (out.empty() ? "" : " ") + w.text;
  return out;
}

Word SettingWords::plain(const std::string& text) {
  Word w;
  w.text = text;
  return w;
}

namespace {
void markKeys(const value::Shown& s, Word& w) { w.keyable = s.keyable, w.keyed = s.keyed, w.keyHere = s.keyHere; }
}  // namespace

Word SettingWords::number(const std::string& path, const std::string& before) const {
  Word w;
  w.key = path;
  const auto s = value::shown(shot_, path, frame_);
  if (!s) return plain("(" + path + ")");
  const auto& a = s->about;
  markKeys(*s, w);
  w.value = s->kept * a.factor, w.least = a.least * a.factor, w.most = a.most * a.factor;
  if (a.isFrame) {
    w.kind = Word::Kind::Frame;
    const FrameRange r = shot_.worked().range();
    w.least = r.first, w.most = r.last;
    w.text = before + std::to_string(static_cast<int>(s->kept));
    return w;
  }
  w.kind = Word::Kind::Number;
  w.step = a.step, w.unit = a.unit;
  const std::string unit = a.unit;
  w.text = before + value::shownText(s->kept, a) +
           (unit.empty() || unit.front() == '%' || unit == "\u00b0" ? "" : " ") + unit;
  return w;
}

Word SettingWords::choice(const std::string& path, const std::vector<std::string>& labels) const {
  Word w;
  w.kind = Word::Kind::Choice;
  w.key = path;
  const auto s = value::shown(shot_, path, frame_);
  if (!s) return plain("(" + path + ")");
  markKeys(*s, w);
  if (s->is == value::Shown::Is::YesNo) {
    w.chosen = s->kept != 0 ? "1" : "0";
    for (size_t i = 0; i < 2; ++i)
      w.choices.emplace_back(std::to_string(i), i < labels.size() ? labels[i] : std::to_string(i));
  } else {
    w.chosen = s->text;
    for (size_t i = 0; i < s->names.size(); ++i)
      w.choices.emplace_back(s->names[i], i < labels.size() ? labels[i] : s->names[i]);
  }
  for (const auto& [value, label] : w.choices)
    if (value == w.chosen) w.text = label;
  return w;
}

std::vector<std::pair<std::string, std::string>> SettingWords::things(const std::string& list) const {
  return edit::thingsOf(shot_, list);
}

Word SettingWords::thing(const std::string& path) const {
  const auto s = value::shown(shot_, path, frame_);
  if (!s) return plain("(" + path + ")");
  auto choices = things(s->about.refers);
  const std::string none = s->about.none;
  if (!none.empty()) choices.insert(choices.begin(), {"", none});
  std::string what = s->about.refers;
  if (!what.empty() && what.back() == 's') what.pop_back();
  return special(path, s->text, choices, none.empty() || !s->text.empty() ? "no " + what : none);
}

Word SettingWords::special(const std::string& path, const std::string& chosen,
                           std::vector<std::pair<std::string, std::string>> choices, const std::string& whenNone) {
  Word w;
  w.kind = Word::Kind::Choice;
  w.key = path;
  w.chosen = chosen;
  w.text = whenNone;
  for (const auto& [value, label] : choices)
    if (value == chosen) w.text = label;
  w.choices = std::move(choices);
  return w;
}

Word SettingWords::file(const std::string& path, const std::string& text) {
  Word w;
  w.kind = Word::Kind::Text;
  w.key = path;
  w.text = text;
  return w;
}

}  // namespace zentil::wording

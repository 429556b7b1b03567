#include "app/station_parts.h"

#include "core/value/text.h"

namespace zentil::app {

shot::Word plain(const std::string& t) {
  shot::Word w;
  w.text = t;
  return w;
}

shot::Word number(const std::string& key, const std::string& text, double value, double least, double most,
                  double step) {
  shot::Word w;
  w.kind = shot::Word::Kind::Number;
  w.key = key, w.text = text, w.value = value, w.least = least, w.most = most, w.step = step;
  return w;
}

void changeWord(Session* session, const QString& path, const QString& value, bool goesOn) {
  const std::string p = path.toStdString();
  session->change(
      QObject::tr("change the %1").arg(QString::fromStdString(shot::wordsFor(session->shot(), p))),
      [&](shot::Shot& shot) { shot::setWord(shot, p, value.toStdString(), session->frame()); },
      goesOn ? "word " + path : QString());
}

QLabel* note(QWidget* parent) {
  auto* l = new QLabel(parent);
  l->setProperty("quiet", true);
  l->setWordWrap(true);
  return l;
}

double numberOf(const QString& v) { return value::numberFrom(v.toStdString()); }

shot::Word either(const std::string& key, bool value, const std::string& whenOff, const std::string& whenOn) {
  shot::Word w;
  w.kind = shot::Word::Kind::Choice;
  w.key = key, w.chosen = value ? "1" : "0", w.text = value ? whenOn : whenOff;
  w.choices = {{"0", whenOff}, {"1", whenOn}};
  return w;
}

shot::Word choice(const std::string& key, const std::string& chosen,
                  const std::vector<std::pair<std::string, std::string>>& choices) {
  shot::Word w;
  w.kind = shot::Word::Kind::Choice;
  w.key = key, w.chosen = chosen, w.choices = choices;
  for (const auto& [value, label] : choices)
    if (value == chosen) w.text = label;
  return w;
}

}  // namespace zentil::app

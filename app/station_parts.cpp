#include "app/station_parts.h"

#include <stdexcept>

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

QLabel* note(QWidget* parent) {
  auto* l = new QLabel(parent);
  l->setProperty("quiet", true);
  l->setWordWrap(true);
  return l;
}

double numberOf(const QString& v) {
  bool ok = false;
  const double d = v.toDouble(&ok);
  if (!ok)
    throw std::runtime_error(
        QObject::tr("\"%1\" is not a number. Type digits, with a point for decimals.").arg(v).toStdString());
  return d;
}

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

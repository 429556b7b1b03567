#include "app/widgets/station_parts.h"

#include "core/edit/keys.h"
#include "core/edit/set_word.h"
#include "core/shot/track_json.h"
#include "core/value/path.h"
#include "core/wording/words.h"

namespace zentil::app {

wording::Word plain(const std::string& t) {
  wording::Word w;
  w.text = t;
  return w;
}

wording::Word number(const std::string& key, const std::string& text, double value, double least, double most,
                     double step) {
  wording::Word w;
  w.kind = wording::Word::Kind::Number;
  w.key = key, w.text = text, w.value = value, w.least = least, w.most = most, w.step = step;
  return w;
}

void changeWord(Session* session, const QString& path, const QString& value, bool goesOn) {
  const std::string p = path.toStdString();
  session->change(
      QObject::tr("change the %1").arg(QString::fromStdString(wording::wordsFor(session->shot(), p))),
      [&](shot::Shot& shot) { edit::setWord(shot, p, value.toStdString(), session->frame()); },
      goesOn ? "word " + path : QString());
}

void bindWords(Session* session, SentenceWidget* sentence, WordChange change) {
  if (!change)
    change = [session](const QString& path, const QString& v, bool goesOn) { changeWord(session, path, v, goesOn); };
  QObject::connect(sentence, &SentenceWidget::wanted, sentence, change);
  QObject::connect(sentence, &SentenceWidget::keyWanted, sentence,
                   [session](const QString& path, const QString& what) { changeKeys(session, path, what); });
  QObject::connect(sentence, &SentenceWidget::dragEnded, sentence, [session] { session->endSeries(); });
  QObject::connect(sentence, &SentenceWidget::clickedFrame, sentence, [session](int f) { session->setFrame(f); });
}

void changeKeys(Session* session, const QString& path, const QString& what) {
  const std::string p = path.toStdString();
  const int frame = session->frame();
  const QString words = QString::fromStdString(wording::wordsFor(session->shot(), p));
  if (what == "next" || what == "before") {
    std::map<int, std::vector<std::string>> keys;
    for (const int f : value::keyFrames(session->shot(), p)) keys[f];
    session->setFrame(edit::nextKey(keys, frame, what == "next"));
    return;
  }
  session->change(what == "set"      ? QObject::tr("key the %1").arg(words)
                  : what == "remove" ? QObject::tr("take a key of the %1 away").arg(words)
                  : what == "clear"  ? QObject::tr("take the keys of the %1 away").arg(words)
                                     : QObject::tr("change the %1 between keys").arg(words),
                  [&](shot::Shot& s) {
                    if (what == "set")
                      edit::setKey(s, p, frame);
                    else if (what == "remove" || what == "clear")
                      edit::removeKey(s, p, what == "clear" ? edit::kAllKeys : frame);
                    else
                      edit::setBetween(s, p, frame, named<value::Between>(what.toStdString()));
                  });
}

std::string keyedThing(const Session& session) {
  if (session.station() == Station::Work && !session.element().isEmpty())
    return "elements." + session.element().toStdString();
  if (session.station() == Station::Set && !session.surface().isEmpty())
    return "surfaces." + session.surface().toStdString();
  return {};
}

QPushButton* newButton(QWidget* parent, const QString& name, const QString& text, const QString& tip) {
  auto* b = new QPushButton(text, parent);
  b->setObjectName(name);
  b->setToolTip(tip);
  return b;
}

QLabel* note(QWidget* parent) {
  auto* l = new QLabel(parent);
  l->setProperty("quiet", true);
  l->setWordWrap(true);
  return l;
}

double numberOf(const QString& v) { return value::numberFrom(v.toStdString()); }

wording::Word either(const std::string& key, bool value, const std::string& whenOff, const std::string& whenOn) {
  wording::Word w;
  w.kind = wording::Word::Kind::Choice;
  w.key = key, w.chosen = value ? "1" : "0", w.text = value ? whenOn : whenOff;
  w.choices = {{"0", whenOff}, {"1", whenOn}};
  return w;
}

wording::Word choice(const std::string& key, const std::string& chosen,
                     const std::vector<std::pair<std::string, std::string>>& choices) {
  wording::Word w;
  w.kind = wording::Word::Kind::Choice;
  w.key = key, w.chosen = chosen, w.choices = choices;
  for (const auto& [value, label] : choices)
    if (value == chosen) w.text = label;
  return w;
}

}  // namespace zentil::app

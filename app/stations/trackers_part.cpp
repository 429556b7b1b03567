#include "app/stations/trackers_part.h"

#include <QPainter>

#include "app/document/file_names.h"
#include "app/widgets/station_parts.h"
#include "app/widgets/style.h"
#include "core/edit/trackers.h"
#include "core/estimate/follow.h"
#include "core/shot/trackers.h"
#include "core/track/manual_tracker.h"
#include "core/wording/words.h"

namespace zentil::app {

namespace {

/// Buttons for going along the frames: all the way back, a frame back, a frame on, all the way on, both ways.
QList<QPushButton*> wayButtons(const QString& kind, QWidget* parent, QVBoxLayout* column) {
  QList<QPushButton*> out;
  auto* row = new QHBoxLayout;
  row->setSpacing(4);
  const std::tuple<const char*, QString, QString> ways[] = {
      {"Back", "⇤", QObject::tr("Follow back to the first frame")},
      {"StepBack", "←", QObject::tr("Follow one frame back")},
      {"Step", "→", QObject::tr("Follow one frame on")},
      {"On", "⇥", QObject::tr("Follow on to the last frame")},
      {"Whole", QObject::tr("whole range"), QObject::tr("Follow from this frame to both ends")}};
  for (const auto& [name, text, tip] : ways) {
    auto* b = new QPushButton(text, parent);
    b->setObjectName(kind + name);
    b->setToolTip(tip);
    b->setProperty("way", name);
    b->setMinimumWidth(34);
    row->addWidget(b, QLatin1String(name) == QLatin1String("Whole") ? 1 : 0);
    out << b;
  }
  column->addLayout(row);
  return out;
}

/// Where such a button leads from a frame.
std::vector<estimate::Way> waysOf(const QString& where, int frame, const FrameRange& range) {
  const int back = std::max(range.first, frame - 1), on = std::min(range.last, frame + 1);
  if (where == "Back") return {{frame, range.first}};
  if (where == "StepBack") return {{frame, back}};
  if (where == "Step") return {{frame, on}};
  if (where == "On") return {{frame, range.last}};
  return {{frame, range.last}, {frame, range.first}};
}

QString framesOf(const track::Track& t) {
  return t.length() == 1 ? QObject::tr("frame %1").arg(t.first) : QObject::tr("%1 frames").arg(t.length());
}

}  // namespace

PatternView::PatternView(Session* session, Engine* engine, QWidget* parent)
    : QWidget(parent), session_(session), engine_(engine) {
  setObjectName("patternView");
  setMinimumHeight(132);
  connect(session, &Session::frameChanged, this, qOverload<>(&QWidget::update));
  connect(engine, &Engine::ready, this, qOverload<>(&QWidget::update));
}

QImage PatternView::around(int frame, const Vec2& at, int half, int side) const {
  const auto& plate = session_->shot().tracked();
  const evaluate::FileAt file{plate.files, plate.fileFrame(frame), 1,
                              stampOf(plate.files.fileOf(plate.fileFrame(frame)))};
  // Only what is decoded already: painting waits for nothing.
  if (!engine_->cache().hasFrame(file)) return {};
  const auto picture = engine_->cache().frame(file);
  const auto& p = picture->forReading();
  QImage out(side, side, QImage::Format_RGB32);
  std::vector<float> values;
  values.reserve(static_cast<size_t>(side) * side * 3);
  const double step = (2.0 * half + 1) / side;
  for (int y = 0; y < side; ++y)
    for (int x = 0; x < side; ++x) {
      const double u = at.x() + (x + 0.5 - side / 2.0) * step - 0.5, v = at.y() + (y + 0.5 - side / 2.0) * step - 0.5;
      const int ix = static_cast<int>(std::floor(u)), iy = static_cast<int>(std::floor(v));
      float rgb[3] = {0, 0, 0};
      for (int j = 0; j < 2; ++j)
        for (int i = 0; i < 2; ++i) {
          if (!p.data.contains(ix + i, iy + j)) continue;
          const float w = static_cast<float>((i ? u - ix : 1 - u + ix) * (j ? v - iy : 1 - v + iy));
          for (int c = 0; c < 3; ++c) rgb[c] += w * p.pixel(ix + i, iy + j)[c];
        }
      values.insert(values.end(), rgb, rgb + 3);
    }
  // Stretched over what there is: a pattern in the shade is seen as well as one in the light.
  const auto [least, most] = std::minmax_element(values.begin(), values.end());
  const float low = *least, range = std::max(1e-4f, *most - *least);
  const auto eight = [&](float f) { return static_cast<int>(255 * std::pow((f - low) / range, 1 / 2.2f)); };
  for (int y = 0, k = 0; y < side; ++y)
    for (int x = 0; x < side; ++x, k += 3) {
      const auto i = static_cast<size_t>(k);
      out.setPixel(x, y, qRgb(eight(values[i]), eight(values[i + 1]), eight(values[i + 2])));
    }
  return out;
}

void PatternView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const auto* t = shot::trackOf(session_->shot(), session_->tracker());
  if (!t || !t->hand || t->hand->keys.empty()) return;
  const int frame = session_->frame();
  auto key = t->hand->keys.upper_bound(frame);
  if (key != t->hand->keys.begin()) --key;
  const int side = std::min(112, (width() - 10) / 2);
  const auto draw = [&](int x, int f, const Vec2* at, const QString& text) {
    const QRect box(x, 0, side, side);
    p.fillRect(box, style::kAround);
    if (at) {
      const QImage image = around(f, *at, t->hand->half + 4, side);
      if (!image.isNull()) p.drawImage(box, image);
      for (const auto& [colour, width] : {std::pair(QColor(0, 0, 0, 150), 3), {style::kPin, 1}}) {
        p.setPen(QPen(colour, width));
        p.drawLine(box.center() - QPoint(10, 0), box.center() + QPoint(10, 0));
        p.drawLine(box.center() - QPoint(0, 10), box.center() + QPoint(0, 10));
      }
    } else {
      p.setPen(style::kWarn);
      p.drawText(box, Qt::AlignCenter, t->hand->weak.count(f) ? tr("not known\nwell enough") : tr("lost"));
    }
    p.setPen(style::kQuiet);
    p.drawText(QRect(x, side + 2, side, 16), Qt::AlignLeft, text);
  };
  draw(0, key->first, &key->second, tr("key on %1").arg(key->first));
  draw(side + 8, frame, t->has(frame) ? &t->where(frame) : nullptr, tr("here, %1").arg(frame));
}

TrackersPart::TrackersPart(Session* session, Engine* engine, QPushButton* place, QWidget* parent)
    : QWidget(parent),
      session_(session),
      engine_(engine),
      place_(place),
      rows_(new NamedRows(session, "tracker", this)),
      chosen_(new QWidget(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(place_);
  place_->setCheckable(true);
  column->addWidget(rows_);
  auto* inside = new QVBoxLayout(chosen_);
  inside->setContentsMargins(0, 0, 0, 0);
  sentence_ = new SentenceWidget(chosen_);
  sentence_->setObjectName("trackerWords");
  inside->addWidget(sentence_);
  ways_ = wayButtons("tracker", chosen_, inside);
  repair_ = new SentenceWidget(chosen_);
  repair_->setObjectName("repairWords");
  inside->addWidget(repair_);
  auto* row = new QHBoxLayout;
  blankThem_ = new QPushButton(tr("Blank them"), chosen_);
  blankThem_->setObjectName("blankTracker");
  blankThem_->setToolTip(tr("It has no place on these frames, also when it is followed again"));
  showThem_ = new QPushButton(tr("Look there again"), chosen_);
  showThem_->setObjectName("unblankTracker");
  showThem_->setToolTip(tr("These frames are no longer blank: follow it through them"));
  row->addWidget(blankThem_);
  row->addWidget(showThem_);
  inside->addLayout(row);
  for (const bool away : {true, false})
    connect(away ? blankThem_ : showThem_, &QPushButton::clicked, this, [this, away] {
      const auto* t = shot::trackOf(session_->shot(), session_->tracker());
      if (!t || !t->hand) return;
      const auto next = away ? track::blanked(*t, blank_) : track::shownAgain(*t, blank_);
      session_->change(away ? tr("blank frames %1 to %2").arg(blank_.first).arg(blank_.last)
                            : tr("look at frames %1 to %2 again").arg(blank_.first).arg(blank_.last),
                       [&](shot::Shot& s) { edit::putTrack(s, next); });
    });
  connect(repair_, &SentenceWidget::wanted, this, [this](const QString& key, const QString& v) {
    try {
      if (key == "corrects") session_->setCorrection(named<track::Correction>(v.toStdString()));
      if (key == "blankFrom")
        blank_.first = static_cast<int>(numberOf(v)), blank_.last = std::max(blank_.first, blank_.last);
      if (key == "blankTo")
        blank_.last = static_cast<int>(numberOf(v)), blank_.first = std::min(blank_.first, blank_.last);
    } catch (const std::exception& e) {
      session_->say(QString::fromStdString(e.what()));
    }
    refresh();
  });
  view_ = new PatternView(session, engine, chosen_);
  inside->addWidget(view_);
  column->addWidget(chosen_);
  connect(place_, &QPushButton::clicked, this, [this](bool on) { session_->setTool(on ? Tool::Tracker : Tool::Pick); });
  connect(rows_, &NamedRows::chosen, this, [this](int id) {
    session_->chooseTracker(session_->tracker() == id ? -1 : id);
    refresh();
  });
  connect(rows_, &NamedRows::removed, this, [this](int id) {
    session_->change(tr("remove a tracker"), [&](shot::Shot& s) { edit::removeTrack(s, id); });
  });
  for (QPushButton* b : ways_)
    connect(b, &QPushButton::clicked, this, [this, b] { follow(b->property("way").toString()); });
  connect(sentence_, &SentenceWidget::wanted, this, &TrackersPart::change);
  connect(sentence_, &SentenceWidget::dragEnded, this, [this] { session_->endSeries(); });
}

void TrackersPart::follow(const QString& where) {
  const auto* t = shot::trackOf(session_->shot(), session_->tracker());
  if (!t) return;
  int frame = session_->frame();
  const auto ways = waysOf(where, frame, session_->shot().range);
  engine_->jobs().followTracker(t->id, ways);
  // A step goes along, so that the next one starts from there.
  if (where.startsWith("Step")) session_->setFrame(ways[0].to);
}

void TrackersPart::change(const QString& key, const QString& v, bool goesOn) {
  const auto* found = shot::trackOf(session_->shot(), session_->tracker());
  if (!found || !found->hand) return;
  track::Track t = *found;
  session_->change(
      tr("change %1").arg(QString::fromStdString(t.hand->name)),
      [&](shot::Shot& s) {
        track::ManualTracker hand = *t.hand;
        if (key == "name") hand.name = v.toStdString();
        if (key == "pattern") hand.half = std::clamp((static_cast<int>(numberOf(v)) - 1) / 2, 3, 100);
        if (key == "search") hand.search = std::clamp(static_cast<int>(numberOf(v)), 2, 500);
        if (key == "within") hand.within = std::clamp(numberOf(v), 0.0, 100.0);
        if (key == "weight") t.weight = std::clamp(numberOf(v), 0.0, 100.0);
        if (key == "keyHere") hand = *track::unkeyed(t, session_->frame()).hand;
        t.hand = std::make_shared<track::ManualTracker>(hand);
        edit::putTrack(s, t);
      },
      goesOn ? "tracker " + key : QString());
}

void TrackersPart::refresh() {
  const auto& s = session_->shot();
  place_->setChecked(session_->tool() == Tool::Tracker);
  place_->setEnabled(!s.plate().empty());
  std::vector<NamedRows::Row> rows;
  for (const auto& t : *s.tracks)
    if (t.hand) rows.push_back({t.id, tr("%1 · %2").arg(QString::fromStdString(t.hand->name), framesOf(t)), !t.on});
  rows_->set(rows, session_->tracker());
  const auto* t = shot::trackOf(s, session_->tracker());
  chosen_->setVisible(t && t->hand);
  if (!t || !t->hand) return;
  const int frame = session_->frame();
  wording::Word name;
  name.kind = wording::Word::Kind::Name;
  name.key = "name", name.text = t->hand->name;
  wording::Sentence words = {
      plain("Follow"),
      name,
      plain("by a pattern"),
      number("pattern", fmt::format("{} px", 2 * t->hand->half + 1), 2 * t->hand->half + 1, 7, 201, 2),
      plain("wide, looking"),
      number("search", fmt::format("{} px", t->hand->search), t->hand->search, 2, 500, 1),
      plain("about. It is kept where it is known within"),
      number("within", t->hand->within > 0 ? fmt::format("{:g} px", t->hand->within) : "any distance", t->hand->within,
             0, 10, 0.1),
      plain("and counts"),
      number("weight", fmt::format("{:g} times", t->weight), t->weight, 0, 100, 0.5),
      plain("in a solve.")};
  if (t->hand->keys.count(frame) && t->hand->keys.size() > 1)
    words.push_back(choice("keyHere", "1", {{"1", "A key on this frame."}, {"0", "No key here."}}));
  else
    words.push_back(plain(t->hand->weak.count(frame) ? "Not known well enough on this frame: make the pattern larger, "
                                                       "or ask for less, and follow it again from where it has a place."
                          : !t->has(frame)           ? "Lost on this frame: drag it into place from where it has one."
                          : t->hand->keys.count(frame) ? "Its key is on this frame."
                                                       : "Drag it to set a key."));
  sentence_->set(words);
  for (QPushButton* b : ways_) b->setEnabled(t->has(frame));
  if (!s.range.contains(blank_.first) || !s.range.contains(blank_.last)) blank_ = {frame, frame};
  std::vector<FrameRange> blanks = t->hand->blank;
  repair_->set(
      {plain("A drag corrects"),
       choice("corrects", nameOf(session_->correction()),
              {{"drift", "a drift since the last key,"},
               {"from here on", "a jump: from here on,"},
               {"here only", "this frame alone,"}}),
       plain("frames"), number("blankFrom", std::to_string(blank_.first), blank_.first, s.range.first, s.range.last, 1),
       plain("to"), number("blankTo", fmt::format("{}:", blank_.last), blank_.last, s.range.first, s.range.last, 1)});
  showThem_->setEnabled(std::any_of(blanks.begin(), blanks.end(), [&](const FrameRange& b) {
    return b.first <= blank_.last && b.last >= blank_.first;
  }));
  view_->update();
}

RegionsPart::RegionsPart(Session* session, Engine* engine, QPushButton* draw, QWidget* parent)
    : QWidget(parent),
      session_(session),
      engine_(engine),
      draw_(draw),
      rows_(new NamedRows(session, "region", this)),
      chosen_(new QWidget(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(draw_);
  draw_->setCheckable(true);
  column->addWidget(rows_);
  auto* inside = new QVBoxLayout(chosen_);
  inside->setContentsMargins(0, 0, 0, 0);
  sentence_ = new SentenceWidget(chosen_);
  sentence_->setObjectName("regionWords");
  inside->addWidget(sentence_);
  ways_ = wayButtons("region", chosen_, inside);
  fit_ = note(chosen_);
  fit_->setObjectName("regionFit");
  inside->addWidget(fit_);
  auto* row = new QHBoxLayout;
  auto* refine = new QPushButton(tr("Refine here"), chosen_);
  refine->setObjectName("regionRefine");
  refine->setToolTip(tr("Match this frame again to the frame where the region was drawn"));
  auto* use = new QPushButton(tr("Use in the solve"), chosen_);
  use->setObjectName("regionTracks");
  use->setToolTip(tr("Make tracks of it, beside the others"));
  row->addWidget(refine);
  row->addWidget(use);
  inside->addLayout(row);
  auto* pins = new QPushButton(tr("Write corner pin…"), chosen_);
  pins->setObjectName("regionPins");
  pins->setToolTip(tr("The quad's corners, frame by frame, as CSV (docs/formats.md)"));
  inside->addWidget(pins);
  column->addWidget(chosen_);
  connect(draw_, &QPushButton::clicked, this, [this](bool on) { session_->setTool(on ? Tool::Region : Tool::Pick); });
  connect(rows_, &NamedRows::chosen, this, [this](int id) {
    session_->chooseRegion(session_->region() == id ? -1 : id);
    refresh();
  });
  connect(rows_, &NamedRows::removed, this, [this](int id) {
    session_->change(tr("remove a region"), [&](shot::Shot& s) { edit::removeRegion(s, id); });
  });
  for (QPushButton* b : ways_)
    connect(b, &QPushButton::clicked, this, [this, b] { follow(b->property("way").toString()); });
  connect(refine, &QPushButton::clicked, this,
          [this] { engine_->jobs().refineRegion(session_->region(), session_->frame()); });
  connect(use, &QPushButton::clicked, this, [this] {
    session_->change(tr("use a region in the solve"), [&](shot::Shot& s) { edit::useAsTracks(s, session_->region()); });
  });
  connect(pins, &QPushButton::clicked, this, [this] {
    const auto* r = shot::regionOf(session_->shot(), session_->region());
    if (!r) return;
    const QString file =
        askName(window(), *session_, tr("Write corner pin"), QString::fromStdString(r->name) + ".csv", "csv");
    if (!file.isEmpty()) writePins(file);
  });
  connect(sentence_, &SentenceWidget::wanted, this, &RegionsPart::change);
}

void RegionsPart::follow(const QString& where) {
  const auto* r = shot::regionOf(session_->shot(), session_->region());
  if (!r) return;
  const int frame = session_->frame();
  const auto ways = waysOf(where, frame, session_->shot().range);
  engine_->jobs().followRegion(r->id, ways);
  if (where.startsWith("Step")) session_->setFrame(ways[0].to);
}

void RegionsPart::change(const QString& key, const QString& v) {
  const auto* found = shot::regionOf(session_->shot(), session_->region());
  if (!found) return;
  track::Region r = *found;
  session_->change(tr("change %1").arg(QString::fromStdString(r.name)), [&](shot::Shot& s) {
    if (key == "name") r.name = v.toStdString();
    // What was followed otherwise is no longer what the words say.
    if (key == "freedom" || key == "travels")
      r.motion = {{r.reference, Mat3::Identity()}}, r.correlation = {{r.reference, 1.0}};
    if (key == "freedom") r.freedom = named<track::Freedom>(v.toStdString());
    if (key == "travels") r.travels = v == "1";
    edit::putRegion(s, r);
  });
}

void RegionsPart::writePins(const QString& file) {
  const auto* r = shot::regionOf(session_->shot(), session_->region());
  if (!r) return;
  try {
    track::writePins(*r, file.toStdString());
    session_->say(tr("Corners on %1 frames written to %2").arg(r->motion.size()).arg(file), false);
  } catch (const std::exception& e) {
    session_->say(QString::fromStdString(e.what()));
  }
}

void RegionsPart::refresh() {
  const auto& s = session_->shot();
  draw_->setChecked(session_->tool() == Tool::Region);
  draw_->setEnabled(!s.plate().empty());
  std::vector<NamedRows::Row> rows;
  for (const auto& r : s.regions)
    rows.push_back({r.id, tr("%1 · %2 frames").arg(QString::fromStdString(r.name)).arg(r.motion.size()), false});
  rows_->set(rows, session_->region());
  const auto* r = shot::regionOf(s, session_->region());
  chosen_->setVisible(r != nullptr);
  if (!r) return;
  wording::Word name;
  name.kind = wording::Word::Kind::Name;
  name.key = "name", name.text = r->name;
  sentence_->set({plain("Follow"), name, plain("as it is on"), plain(fmt::format("{},", r->reference)),
                  plain("through"),
                  choice("freedom", nameOf(r->freedom),
                         {{"translation", "shifts"},
                          {"similarity", "shifts, turns and sizes"},
                          {"affine", "shears too"},
                          {"perspective", "perspective"}}),
                  choice("travels", r->travels ? "1" : "0",
                         {{"1", "travelling with the texture."}, {"0", "staying on the screen."}})});
  const int frame = session_->frame();
  const auto correlation = r->correlation.find(frame);
  fit_->setText(r->has(frame) && correlation != r->correlation.end()
                    ? tr("On this frame alike by %1 %.").arg(100 * correlation->second, 0, 'f', 1)
                    : tr("Not followed to this frame."));
  for (QPushButton* b : ways_) b->setEnabled(r->has(frame));
}

}  // namespace zentil::app

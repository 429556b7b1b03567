#include "app/station_track.h"

#include "app/job_line.h"
#include "app/station_parts.h"
#include "core/shot/trackers.h"

namespace zentil::app {

TrackBody::TrackBody(Session* session, Engine* engine, QWidget* parent)
    : StationBody(session, engine, parent), sentence_(new SentenceWidget(this)), note_(note(this)) {
  column()->addWidget(sentence_);
  follow_ = button("follow", tr("Track"), tr("Follow features through the range, forwards and backwards"));
  follow_->setProperty("main", true);
  column()->addWidget(follow_);
  column()->addWidget(new JobLine(&engine->jobs(), this));
  column()->addWidget(note_);
  note_->setObjectName("trackNote");
  clear_ = button("clearTracks", tr("Remove the features"), tr("The camera that was solved from them stays"));
  column()->addWidget(clear_);
  trackers_ = new TrackersPart(
      session, engine,
      button("placeTracker", tr("Place a tracker"), tr("Click on the picture; it is followed by its pattern")), this);
  column()->addWidget(trackers_);
  regions_ = new RegionsPart(
      session, engine,
      button("drawRegion", tr("Draw a region"), tr("Click around something flat; it is followed as one plane")), this);
  column()->addWidget(regions_);
  for (auto signal : {&Session::toolChanged, &Session::chosenChanged})
    connect(session, signal, this, [this] { trackers_->refresh(), regions_->refresh(); });
  preview_.setSingleShot(true);
  preview_.setInterval(150);
  connect(&preview_, &QTimer::timeout, this, [this] { engine_->jobs().preview(session_->frame()); });
  connect(follow_, &QPushButton::clicked, this, [this] { engine_->jobs().follow(); });
  connect(clear_, &QPushButton::clicked, this,
          [this] { session_->change(tr("remove the features"), [](shot::Shot& s) { shot::takeFollowed(s, {}); }); });
  connect(sentence_, &SentenceWidget::wanted, this, &TrackBody::change);
  connect(sentence_, &SentenceWidget::dragEnded, this, [this] { session_->endSeries(); });
  connect(&engine->jobs(), &ShotJobs::changed, this, &TrackBody::refresh);
  connect(session, &Session::frameChanged, this, [this] {
    if (isVisible() && session_->shot().tracks->empty()) preview_.start();
  });
}

void TrackBody::change(const QString& key, const QString& v, bool goesOn) {
  session_->change(
      tr("ask for other features"),
      [&](shot::Shot& s) {
        if (key == "matte") {
          s.tracking.onlyInside = v.startsWith("+");
          s.tracking.matte = v.mid(s.tracking.onlyInside ? 1 : 0).toStdString();
          return;
        }
        const double d = numberOf(v);
        const auto within = [&](double least, double most) {
          if (d < least || d > most)
            throw std::runtime_error(tr("A number from %1 to %2 is wanted.").arg(least).arg(most).toStdString());
          return d;
        };
        auto& f = s.tracking.follow;
        if (key == "count") f.count = static_cast<int>(within(20, 20000));
        if (key == "spacing") f.spacing = within(4, 500);
        if (key == "strength") f.strength = within(1, 1e6);
        if (key == "least") f.least = static_cast<int>(within(2, 1000));
        if (key == "size") f.half = (static_cast<int>(within(7, 101)) - 1) / 2;
      },
      goesOn ? "follow " + key : QString());
  preview_.start();
}

void TrackBody::refresh() {
  const auto& s = session_->shot();
  const auto& f = s.tracking.follow;
  sentence_->setVisible(!s.plate().empty());
  follow_->setEnabled(!s.plate().empty() && !engine_->jobs().busy());
  shot::Word matte;
  matte.kind = shot::Word::Kind::Choice;
  matte.key = "matte", matte.chosen = s.tracking.matte, matte.text = "everywhere.";
  matte.choices = {{"", "everywhere."}};
  if (s.tracking.onlyInside) matte.chosen = "+" + s.tracking.matte;
  for (const auto& m : s.mattes) {
    matte.choices.emplace_back(m.id, "outside " + m.name + ".");
    matte.choices.emplace_back("+" + m.id, "inside " + m.name + ".");
    if (m.id == s.tracking.matte) matte.text = (s.tracking.onlyInside ? "inside " : "outside ") + m.name + ".";
  }
  sentence_->set(
      {plain("Follow"), number("count", std::to_string(f.count), f.count, 20, 20000, 10), plain("features a frame,"),
       number("size", fmt::format("{} px", 2 * f.half + 1), 2 * f.half + 1, 7, 101, 2), plain("wide,"),
       number("spacing", fmt::format("{:g} px", f.spacing), f.spacing, 4, 500, 1), plain("apart,"),
       number("strength", fmt::format("{:g} times", f.strength), f.strength, 1, 1e6, 1), plain("the grain, for"),
       number("least", fmt::format("{} frames", f.least), f.least, 2, 1000, 1), plain("or more,"), matte});
  trackers_->refresh(), regions_->refresh();
  const auto& tracks = *s.tracks;
  clear_->setVisible(!tracks.empty());
  if (tracks.empty()) {
    const auto& features = engine_->jobs().features();
    note_->setText(
        !features.empty() ? tr("%1 features on this frame.").arg(features.size())
        : s.camera->empty()
            ? tr("Track, then solve the camera at Camera. A camera that was solved elsewhere is loaded there.")
            : tr("The camera came solved (%1): no tracks are needed to work on this shot.")
                  .arg(QString::fromStdString(s.camera->source)));
    if (isVisible() && engine_->jobs().featuresOn() != session_->frame() && !s.plate().empty()) preview_.start();
    return;
  }
  int fewest = INT_MAX, where = s.range.first;
  for (int frame = s.range.first; frame <= s.range.last; ++frame)
    if (const int n = track::countOn(tracks, frame); n < fewest) fewest = n, where = frame;
  const auto on = std::count_if(tracks.begin(), tracks.end(), [](const auto& t) { return t.on; });
  note_->setText(tr("%1 tracks, %2 take part; %3 on this frame, fewest (%4) on %5.")
                     .arg(tracks.size())
                     .arg(on)
                     .arg(track::countOn(tracks, session_->frame()))
                     .arg(fewest)
                     .arg(where));
}

}  // namespace zentil::app

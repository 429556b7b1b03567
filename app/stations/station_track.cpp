#include "app/stations/station_track.h"

#include "app/widgets/station_parts.h"
#include "core/edit/things.h"
#include "core/edit/trackers.h"
#include "core/shot/trackers.h"
#include "core/wording/recipe.h"

namespace zentil::app {

TrackBody::TrackBody(Session* session, Engine* engine, QWidget* parent)
    : StationBody(session, engine, parent), sentence_(new SentenceWidget(this)), note_(note(this)) {
  column()->addWidget(sentence_);
  follow_ = button("follow", tr("Track"), tr("Follow features through the range, forwards and backwards"));
  follow_->setProperty("main", true);
  matte_ = new SentenceList(session, "trackMatte", this);
  column()->addWidget(matte_);
  drawMatte_ =
      button("drawTrackMatte", tr("Draw a tracking matte"),
             tr("Click around what must not be tracked. The matte stays on screen or follows a surface or region"));
  column()->addWidget(drawMatte_);
  column()->addWidget(follow_);
  connect(drawMatte_, &QPushButton::clicked, this, [this] { session_->setTool(Tool::Matte); });
  connect(matte_, &SentenceList::chosen, this, [this](const QString& part) {
    session_->chooseMatte(QString::fromStdString(session_->shot().tracking.matte), part);
  });
  connect(matte_, &SentenceList::removed, this, [this](const QString& part) {
    session_->change(tr("take a part of the matte away"), [&](shot::Shot& s) {
      edit::remove(s, {"mattes." + s.tracking.matte + ".parts." + part.toStdString()});
      // Nothing left of it: tracking is everywhere again.
      if (const auto* m = s.matte(s.tracking.matte); m && m->parts.empty()) edit::remove(s, {"mattes." + m->id});
    });
  });
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
          [this] { session_->change(tr("remove the features"), [](shot::Shot& s) { edit::takeFollowed(s, {}); }); });
  bindWords(session_, sentence_, [this](const QString& path, const QString& v, bool goesOn) {
    changeWord(session_, path, v, goesOn);
    preview_.start();
  });
  connect(&engine->jobs(), &ShotJobs::changed, this, &TrackBody::refresh);
  connect(session, &Session::frameChanged, this, [this] {
    if (isVisible() && session_->shot().tracks->empty()) preview_.start();
  });
}

void TrackBody::refresh() {
  const auto& s = session_->shot();
  sentence_->setVisible(!s.plate().empty());
  follow_->setEnabled(!s.plate().empty());
  sentence_->set(wording::trackRecipe(s, session_->frame()));
  std::vector<SentenceList::Row> parts;
  if (const auto* m = s.matte(s.tracking.matte))
    for (const auto& p : m->parts)
      parts.push_back({p.id, QString::fromStdString(m->name + ", " + p.name),
                       wording::recipeOf(s, *m, p, session_->frame()), true});
  matte_->setList("mattes." + s.tracking.matte + ".parts");
  matte_->set(parts, session_->part().toStdString());
  matte_->setVisible(!parts.empty());
  drawMatte_->setEnabled(!s.plate().empty());
  trackers_->refresh(), regions_->refresh();
  const auto& tracks = *s.tracks;
  clear_->setVisible(!tracks.empty());
  if (tracks.empty()) {
    const auto& features = engine_->jobs().features();
    note_->setText(
        !features.empty() ? tr("%1 features on this frame.").arg(features.size())
        : s.camera->empty()
            ? tr("Track, then solve the camera at Camera. A camera that was solved elsewhere is loaded there.")
            : tr("The shot has a camera (%1): no tracks are needed to work on it.")
                  .arg(QString::fromStdString(s.camera->source)));
    if (isVisible() && engine_->jobs().featuresOn() != session_->frame() && !s.plate().empty()) preview_.start();
    return;
  }
  int fewest = INT_MAX, where = s.range.first;
  for (int frame = s.range.first; frame <= s.range.last; ++frame)
    if (const int n = track::countOn(tracks, frame); n < fewest) fewest = n, where = frame;
  const auto on = std::count_if(tracks.begin(), tracks.end(), [](const auto& t) { return t.on; });
  note_->setText(tr("%1, %2 take part; %3 on this frame, fewest (%4) on %5.")
                     .arg(tracks.size() == 1 ? tr("1 track") : tr("%1 tracks").arg(tracks.size()))
                     .arg(on)
                     .arg(track::countOn(tracks, session_->frame()))
                     .arg(fewest)
                     .arg(where));
}

}  // namespace zentil::app

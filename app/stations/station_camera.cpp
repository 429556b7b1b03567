#include "app/stations/station_camera.h"

#include <cmath>

#include "app/widgets/station_parts.h"
#include "core/camera/film_back.h"
#include "core/edit/lens.h"
#include "core/edit/move.h"
#include "core/edit/solves.h"
#include "core/edit/still_camera.h"
#include "core/estimate/follow.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"

namespace zentil::app {

CameraBody::CameraBody(Session* session, Engine* engine, QWidget* parent)
    : StationBody(session, engine, parent),
      body_(new SentenceWidget(this)),
      ask_(new SentenceWidget(this)),
      cullWords_(new SentenceWidget(this)),
      show_(new SentenceWidget(this)),
      table_(new TrackTable(session, this)),
      note_(note(this)),
      fit_(note(this)) {
  body_->setObjectName("cameraBodyWords");
  fit_->setObjectName("solveFit");
  show_->setObjectName("showWords");
  column()->addWidget(body_);
  column()->addWidget(note_);
  load_ = button("loadCamera", tr("Load a camera…"), tr("glTF with an animated camera, or CSV (docs/formats.md)"));
  column()->addWidget(load_);
  move_ =
      button("takeMove", tr("Use another shot's move…"),
             tr("The move of a shot that was solved, or of a camera's file: on this plate, slower, smoothed, eased"));
  column()->addWidget(move_);
  moveWords_ = new SentenceWidget(this);
  moveWords_->setObjectName("moveWords");
  column()->addWidget(moveWords_);
  connect(move_, &QPushButton::clicked, this, [this] { emit wantsFile({FileWish::For::Move}); });
  turns_ = button("findTurns", tr("Find how it turns"),
                  tr("Tracks features all around and separates turning from travelling"));
  turns_->setProperty("main", true);
  column()->addWidget(turns_);
  flat_ = button("takeFlatCamera", tr("Take a flat view's camera…"),
                 tr("A flat view written as a plate at Deliver, then tracked and solved: its camera is read back, "
                    "turn and travel"));
  column()->addWidget(flat_);
  connect(flat_, &QPushButton::clicked, this, [this] { emit wantsFile({FileWish::For::FlatShot}); });
  column()->addWidget(ask_);
  still_ =
      button("stillCamera", tr("Static camera"),
             tr("Hold the camera over the range. What does not move is one backdrop: a fill on it from all frames is "
                "the clean plate"));
  solve_ = button("solveCamera", tr("Solve from the tracks"), tr("Path, focal length and lens from what was tracked"));
  solve_->setProperty("main", true);
  column()->addWidget(solve_);
  column()->addWidget(still_);
  objectWords_ = new SentenceWidget(this);
  object_ =
      button("solveObject", tr("Solve an object's own move"),
             tr("Something that moves in front of a static or solved camera: its motion becomes a moving surface"));
  connect(object_, &QPushButton::clicked, this, [this] { engine_->jobs().solveObject(); });
  column()->addWidget(fit_);
  column()->addWidget(show_);
  column()->addWidget(table_);
  column()->addWidget(cullWords_);
  cull_ = button("cullTracks", tr("Leave them out"), tr("Then solve again; undo brings them back"));
  column()->addWidget(cull_);
  column()->addWidget(objectWords_);
  column()->addWidget(object_);
  connect(load_, &QPushButton::clicked, this, [this] { emit wantsFile({FileWish::For::Camera}); });
  connect(turns_, &QPushButton::clicked, this, [this] { engine_->jobs().findTurns(); });
  connect(solve_, &QPushButton::clicked, this, [this] { engine_->jobs().solve(); });
  connect(still_, &QPushButton::clicked, this, [this] { engine_->jobs().holdStill(); });
  connect(&engine->jobs(), &ShotJobs::changed, this, &CameraBody::refresh);
  for (SentenceWidget* words : {body_, ask_, moveWords_, objectWords_}) bindWords(session_, words);
  fitBack_ = button("fitBack", {}, {});
  static_cast<QVBoxLayout*>(column())->insertWidget(column()->indexOf(load_), fitBack_);
  connect(fitBack_, &QPushButton::clicked, this, [this] {
    session_->change(tr("fit the film back to the picture"), [](shot::Shot& s) { edit::fitBack(s); });
  });
  connect(cullWords_, &SentenceWidget::wanted, this, [this](const QString& key, const QString& v) {
    try {
      const double d = numberOf(v);
      if (key == "mean") limits_.meanPx = std::max(0.01, d);
      if (key == "worst") limits_.worstPx = std::max(0.01, d);
      if (key == "length") limits_.least = std::max(0, static_cast<int>(d));
      if (key == "worstTracks") limits_.worst = std::max(0, static_cast<int>(d));
      refreshSolve();
    } catch (const std::exception& e) {
      session_->say(QString::fromStdString(e.what()));
    }
  });
  connect(show_, &SentenceWidget::wanted, this, [this](const QString& key, const QString& v) {
    if (key == "solves") {
      const size_t which = v.toULongLong();
      session_->change(tr("go back to solve %1").arg(which + 1), [&](shot::Shot& s) { edit::goBackTo(s, which); });
      return;
    }
    View view = session_->view();
    (key == "errors" ? view.errors : view.held) = v == "1";
    session_->setView(view);
  });
  connect(session, &Session::viewChanged, this, [this] {
    if (isVisible()) refresh();
  });
  connect(cull_, &QPushButton::clicked, this,
          [this] { session_->change(tr("leave tracks out"), [&](shot::Shot& s) { edit::cull(s, limits_); }); });
}

void CameraBody::refreshBody() {
  const auto& c = *session_->shot().camera;
  still_->setVisible(session_->shot().hasPlate() && c.empty());
  body_->set(wording::bodyRecipe(session_->shot(), session_->frame()));
  const bool moves = shot::usesMove(session_->shot());
  move_->setVisible(session_->shot().hasPlate());
  moveWords_->setVisible(moves);
  if (moves) moveWords_->set(wording::moveRecipe(session_->shot(), session_->frame()));
  const auto likely = shot::likelyBackHeight(session_->shot());
  fitBack_->setVisible(likely.has_value());
  if (likely) {
    fitBack_->setText(tr("Make it %1 mm high").arg(*likely, 0, 'f', 2));
    fitBack_->setToolTip(tr("The picture is %1 to 1, the film back %2 to 1: circles would become ovals. Do this if "
                            "the whole picture is what the camera took")
                             .arg(session_->shot().aspect(), 0, 'f', 2)
                             .arg(c.backWidthMm / c.backHeightMm, 0, 'f', 2));
  }
  if (c.empty()) {
    note_->setText(
        tr("Load the solved camera (glTF or CSV), or track and solve the shot. Then put a checkerboard on "
           "a surface, and watch whether it sticks."));
    return;
  }
  QString text = tr("%1\nOptical centre %2, %3 px off the middle")
                     .arg(session_->shot().solved           ? tr("Solved here, from the tracks")
                          : c.source == edit::kStaticCamera ? tr("Static camera")
                                                            : tr("From %1").arg(QString::fromStdString(c.source)))
                     .arg(c.centreOffsetPx.x(), 0, 'f', 2)
                     .arg(c.centreOffsetPx.y(), 0, 'f', 2);
  if (c.has(session_->frame())) {
    const auto& pose = c.poses.at(session_->frame());
    text += tr("\nHere: %1 mm, at %2, %3, %4 m")
                .arg(pose.focalMm, 0, 'f', 2)
                .arg(pose.position.x(), 0, 'f', 3)
                .arg(pose.position.y(), 0, 'f', 3)
                .arg(pose.position.z(), 0, 'f', 3);
  } else {
    text += tr("\nNo pose on this frame");
  }
  note_->setText(text);
}

namespace {

/// What the tracks say of the camera, each with its standard error.
QStringList foundValues(const shot::Shot& s, int frame) {
  const auto& sigma = s.solved->evidence.sigma;
  const auto& c = *s.camera;
  QStringList known;
  if (std::isfinite(sigma.focal))
    known << CameraBody::tr("focal length %1 ± %2 mm")
                 .arg(c.focalAt(frame), 0, 'f', 2)
                 .arg(sigma.focal * c.backWidthMm, 0, 'g', 2);
  if (std::isfinite(sigma.centreX))
    known << CameraBody::tr("optical centre ± %1 px").arg(std::max(sigma.centreX, sigma.centreY) * s.width, 0, 'g', 2);
  if (std::isfinite(sigma.k1)) known << CameraBody::tr("k1 %1 ± %2").arg(s.lens.k1, 0, 'f', 4).arg(sigma.k1, 0, 'g', 2);
  if (std::isfinite(sigma.k2)) known << CameraBody::tr("k2 %1 ± %2").arg(s.lens.k2, 0, 'f', 4).arg(sigma.k2, 0, 'g', 2);
  if (std::isfinite(sigma.pixelAspect))
    known << CameraBody::tr("pixel aspect %1 ± %2")
                 .arg(s.plate().pixelAspect, 0, 'f', 4)
                 .arg(sigma.pixelAspect, 0, 'g', 2);
  if (std::isfinite(sigma.readout))
    known << CameraBody::tr("rows read over %1 ± %2% of a frame")
                 .arg(100 * c.readout, 0, 'f', 1)
                 .arg(100 * sigma.readout, 0, 'g', 2);
  return known;
}

/// How well the tracks fit, what they say, and what is to be said about them.
QString solveReport(const shot::Shot& s, int frame) {
  const auto& e = *s.solved;
  const auto used = std::count_if(e.tracks.begin(), e.tracks.end(), [](const auto& t) { return t.used(); });
  const auto worst = std::max_element(e.perFrame.begin(), e.perFrame.end(),
                                      [](const auto& a, const auto& b) { return a.second < b.second; });
  QString text =
      CameraBody::tr("%1 of %2 tracks fit within %3 px (RMS)").arg(used).arg(e.tracks.size()).arg(e.rmsPx, 0, 'f', 3);
  if (worst != e.perFrame.end())
    text += CameraBody::tr(", worst frame %1: %2 px").arg(worst->first).arg(worst->second, 0, 'f', 3);
  text += ".";
  const QStringList known = foundValues(s, frame);
  if (!known.isEmpty()) text += "\n" + CameraBody::tr("Found to one standard error: %1.").arg(known.join(", "));
  if (!e.why.empty())
    text += "\n" + (e.kind == solve::Kind::Tripod  ? CameraBody::tr("On a tripod: %1.")
                    : e.kind == solve::Kind::Plane ? CameraBody::tr("In front of one plane: %1.")
                                                   : CameraBody::tr("It moves: %1."))
                       .arg(QString::fromStdString(e.why));
  for (const auto& r : e.remarks) {
    const QString words = QString::fromStdString(r);
    text += "\n" + words.left(1).toUpper() + words.mid(1) + ".";
  }
  if (const int gone = solve::goneSince(e, *s.tracks); gone > 0)
    text = CameraBody::tr("%n of the tracks that it used are gone or off since: solve again.", nullptr, gone) + "\n" +
           text;
  return text;
}

}  // namespace

wording::Sentence CameraBody::shownAs() const {
  const auto& s = session_->shot();
  const auto& view = session_->view();
  wording::Sentence shown = {
      plain("Over the picture"),
      choice("errors", view.errors ? "1" : "0", {{"0", "where tracks are,"}, {"1", "their errors, enlarged,"}}),
      choice("held", view.held ? "1" : "0", {{"0", "and no more."}, {"1", "and how far things may slip."}})};
  const auto& solves = s.pastSolves;
  if (solves.size() > 1) {
    std::vector<std::pair<std::string, std::string>> choices;
    std::string now;
    for (size_t i = 0; i < solves.size(); ++i) {
      choices.emplace_back(std::to_string(i), fmt::format("{}: {}", i + 1, solves[i].words));
    }
    if (const auto used = shot::solveInUse(s)) now = std::to_string(*used);
    shown.push_back(plain("Solve"));
    shown.push_back(choice("solves", now, choices));
    if (shown.back().text.empty()) shown.back().text = "none of those kept";
  }
  return shown;
}

void CameraBody::refreshCull() {
  const auto& s = session_->shot();
  const auto& e = *s.solved;
  const auto gone = solve::beyond(e, *s.tracks, limits_);
  const int fewest = solve::fewestWithout(*s.tracks, gone, s.range);
  cullWords_->set(
      {plain("Off on the mean by"),
       number("mean", fmt::format("{:g} px,", limits_.meanPx), limits_.meanPx, 0.01, 100, 0.05), plain("anywhere by"),
       number("worst", fmt::format("{:g} px,", limits_.worstPx), limits_.worstPx, 0.01, 100, 0.1),
       plain("or shorter than"), number("length", fmt::format("{} frames,", limits_.least), limits_.least, 0, 1000, 1),
       plain("and the"), number("worstTracks", std::to_string(limits_.worst), limits_.worst, 0, 100000, 1),
       plain("worst of the others:"),
       plain(fmt::format("{} tracks{}.", gone.size(),
                         fewest < 8 ? fmt::format("; a frame would be held by {} only", fewest) : ""))});
  cull_->setEnabled(!gone.empty());
}

void CameraBody::refreshSolve() {
  const auto& s = session_->shot();
  const bool tracked = !s.tracks->empty();
  ask_->setVisible(tracked);
  solve_->setVisible(tracked);
  objectWords_->setVisible(tracked), object_->setVisible(tracked);
  if (tracked) objectWords_->set(wording::objectRecipe(s, session_->frame()));
  const bool solved = tracked && s.solved;
  fit_->setVisible(solved);
  show_->setVisible(solved);
  table_->refresh();
  solve_->setText(s.solveSettings.task == solve::Task::Find     ? tr("Solve from the tracks")
                  : s.solveSettings.task == solve::Task::Refine ? tr("Refine on the tracks")
                                                                : tr("Check with the tracks"));
  cullWords_->setVisible(solved);
  cull_->setVisible(solved);
  if (tracked) ask_->set(wording::solveRecipe(s, session_->frame()));
  if (!solved) return;
  fit_->setText(solveReport(s, session_->frame()));
  show_->set(shownAs());
  refreshCull();
}

void CameraBody::refreshSphere() {
  for (QWidget* w : std::initializer_list<QWidget*>{body_, ask_, cullWords_, show_, table_, fit_, load_, solve_, cull_,
                                                    fitBack_, move_, moveWords_, object_, objectWords_, still_})
    w->hide();
  const auto& c = *session_->shot().camera;
  QString text = c.empty() ? tr("The rotation from frame to frame: for stabilising, levelling and for everything "
                                "added to the sphere.")
                           : tr("Its turn is known on %1 of %2 frames (%3).")
                                 .arg(c.poses.size())
                                 .arg(session_->shot().range.count())
                                 .arg(QString::fromStdString(c.source));
  if (!c.empty() && !engine_->jobs().report().isEmpty()) text += "\n" + engine_->jobs().report();
  note_->setText(text);
}

void CameraBody::refresh() {
  const bool sphere = session_->shot().projection == shot::Projection::Sphere;
  turns_->setVisible(sphere), flat_->setVisible(sphere);
  load_->setVisible(!sphere);
  body_->setVisible(!sphere);
  if (sphere) {
    refreshSphere();
    return;
  }
  refreshBody();
  refreshSolve();
}

}  // namespace zentil::app

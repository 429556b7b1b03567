#include "app/stations/station_lens.h"

#include "app/widgets/station_parts.h"
#include "core/wording/recipe.h"

namespace zentil::app {

LensBody::LensBody(Session* session, Engine* engine, QWidget* parent)
    : StationBody(session, engine, parent),
      sentence_(new SentenceWidget(this)),
      form_(new SentenceWidget(this)),
      note_(note(this)),
      report_(note(this)) {
  column()->addWidget(sentence_);
  column()->addWidget(form_);
  column()->addWidget(note_);
  report_->setObjectName("lensReport");
  const auto source = [this](const char* name, const QString& text, const QString& tip, FileWish::For file) {
    QPushButton* b = button(name, text, tip);
    connect(b, &QPushButton::clicked, this, [this, file] { emit wantsFile({file}); });
    return b;
  };
  sources_ = new QWidget(this);
  auto* flow = new FlowLayout(sources_, 6, 5);
  flow->addWidget(source("loadLens", tr("Load a lens…"), tr("Coefficients as JSON, or an OpenCV calibration file"),
                         FileWish::For::Lens));
  flow->addWidget(source("loadBoards", tr("From boards…"),
                         tr("Three or more pictures of a checkerboard: focal length, centre and distortion"),
                         FileWish::For::Boards));
  flow->addWidget(source("loadStMaps", tr("From ST maps…"), tr("An undistort map, a redistort map, or both"),
                         FileWish::For::StMaps));
  flow->addWidget(source("loadLensLibrary", tr("From the database…"),
                         tr("A lens that somebody measured, from the system's open lens database"),
                         FileWish::For::LensLibrary));
  column()->addWidget(sources_);
  column()->addWidget(report_);
  up_ = button("pickUp", tr("Click straight up"),
               tr("Levels the world: click the place that is straight up on this frame"));
  up_->setCheckable(true);
  column()->addWidget(up_);
  connect(up_, &QPushButton::clicked, this, [this](bool on) { session_->setTool(on ? Tool::Up : Tool::Pick); });
  lines_ = new LinesPart(
      session,
      button("drawLine", tr("Draw a line"),
             tr("Click along something straight, three times or more; Return ends it. Its points snap to the edge")),
      button("solveLens", tr("Solve from the lines"), tr("The coefficients that leave the lines with the least bow")),
      this);
  column()->addWidget(lines_);
  overscan_ = new OverscanPart(
      session,
      {source("writeLens", tr("Write maps and render sheet…"),
              tr("ST maps both ways (32-bit EXR), the render sheet, the coefficients as JSON and for OpenCV"),
              FileWish::For::LensFolder),
       source("writeStraight", tr("Write straight plates…"),
              tr("The plate without its lens, for painting elsewhere; what comes back is a clean picture at Work"),
              FileWish::For::StraightFolder)},
      this);
  column()->addWidget(overscan_);
  for (SentenceWidget* s : {sentence_, form_}) bindWords(session_, s);
  connect(&engine->jobs(), &ShotJobs::changed, this, &LensBody::refreshReport);
}

void LensBody::refreshReport() {
  const auto& l = session_->shot().lens;
  // What a calibration or a map said holds for as long as the lens is theirs.
  const bool theirs = l.maps || QString::fromStdString(l.source).endsWith("boards");
  report_->setVisible(theirs && !engine_->jobs().report().isEmpty());
  report_->setText(engine_->jobs().report());
}

void LensBody::refresh() {
  const auto& s = session_->shot();
  const auto& l = s.lens;
  const int frame = session_->frame();
  const bool sphere = s.projection == shot::Projection::Sphere;
  sentence_->setVisible(!l.maps && !sphere);
  form_->setVisible(!l.maps && !sphere);
  sources_->setVisible(!sphere);
  overscan_->setVisible(!sphere);
  up_->setVisible(sphere);
  up_->setChecked(session_->tool() == Tool::Up);
  if (sphere) {
    report_->hide();
    note_->setText(
        tr("A sphere has no lens. Lines along vertical edges, or a click straight up, level its "
           "world."));
    lines_->refresh();
    return;
  }
  sentence_->set(wording::lensRecipe(s, frame));
  form_->set(wording::lensForm(s, frame));
  QString text = l.source.empty() ? tr("No lens was loaded: the plate is taken as straight.")
                                  : tr("From %1.").arg(QString::fromStdString(l.source));
  const Fact f = factOf(Station::Lens, *session_, *engine_);
  if (f.state == Fact::State::Good) text += tr("\nStraight, the whole plate fills %1.").arg(f.text);
  if (f.state == Fact::State::Worry) text += "\n" + f.why;
  note_->setText(text);
  refreshReport();
  lines_->refresh();
  overscan_->refresh(f.state == Fact::State::Good);
}

}  // namespace zentil::app

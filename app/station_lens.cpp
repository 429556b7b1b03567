#include "app/station_lens.h"

#include "app/job_line.h"
#include "app/station_parts.h"

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
  const auto source = [this](const char* name, const QString& text, const QString& tip, const char* file) {
    QPushButton* b = button(name, text, tip);
    connect(b, &QPushButton::clicked, this, [this, file] { emit wantsFile(file); });
    return b;
  };
  auto* sources = new QWidget(this);
  auto* flow = new FlowLayout(sources, 6, 5);
  flow->addWidget(
      source("loadLens", tr("Load a lens…"), tr("Coefficients as JSON, or an OpenCV calibration file"), "lens"));
  flow->addWidget(source("loadBoards", tr("From boards…"),
                         tr("Three or more pictures of a checkerboard: focal length, centre and distortion"),
                         "boards"));
  flow->addWidget(
      source("loadStMaps", tr("From ST maps…"), tr("An undistort map, a redistort map, or both"), "stMaps"));
  flow->addWidget(source("loadLensLibrary", tr("From the database…"),
                         tr("A lens that somebody measured, from the system's open lens database"), "lensLibrary"));
  column()->addWidget(sources);
  column()->addWidget(new JobLine(&engine->jobs(), this));
  column()->addWidget(report_);
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
              "lensFolder"),
       source("writeStraight", tr("Write straight plates…"),
              tr("The plate without its lens, for painting elsewhere; what comes back is a clean picture at Work"),
              "straightFolder")},
      this);
  column()->addWidget(overscan_);
  for (SentenceWidget* s : {sentence_, form_}) {
    connect(s, &SentenceWidget::wanted, this, &LensBody::change);
    connect(s, &SentenceWidget::dragEnded, this, [this] { session_->endSeries(); });
  }
  connect(&engine->jobs(), &ShotJobs::changed, this, &LensBody::refreshReport);
}

void LensBody::change(const QString& key, const QString& v, bool goesOn) {
  const int frame = session_->frame();
  session_->change(
      tr("change the lens"),
      [&](shot::Shot& shot) {
        lens::Lens& l = shot.lens;
        const auto typed = [&](double least, double most) {
          const double d = numberOf(v);
          if (d < least || d > most)
            throw std::runtime_error(tr("A number from %1 to %2 is wanted.").arg(least).arg(most).toStdString());
          return d;
        };
        if (key == "model") {
          l.model = named<lens::Model>(v.toStdString());
        } else if (key == "squeeze") {
          l.squeeze = typed(0.25, 4);
        } else if (key == "squeezeCentre") {
          l.squeezeCentrePx = typed(-1e4, 1e4);
        } else if (key == "keyed") {
          const auto now = l.coefficientsAt(frame);
          l.keys = {};
          l.setCoefficients(frame, now);
          if (v == "1") l.keys.put(frame, now);
        } else if (key == "keyHere") {
          if (v == "1")
            l.keys.put(frame, l.coefficientsAt(frame));
          else if (l.keys.all().size() > 1)
            l.keys.erase(frame);
        } else {
          auto values = l.coefficientsAt(frame);
          const QStringList names = {"k1", "k2", "k3", "p1", "p2"};
          values.at(static_cast<size_t>(names.indexOf(key))) = numberOf(v);
          l.setCoefficients(frame, values);
          l.source = "typed";
        }
        l.maps = nullptr;
        shot.lensProblem.clear();
      },
      goesOn ? "lens " + key : QString());
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
  sentence_->setVisible(!l.maps);
  form_->setVisible(!l.maps);
  const bool division = l.model == lens::Model::Division;
  shot::Word model;
  model.kind = shot::Word::Kind::Choice;
  model.key = "model", model.chosen = nameOf(l.model);
  model.choices = {{"brown-conrady", "Brown-Conrady"}, {"division", "division (strong barrel)"}};
  model.text = division ? "division:" : "Brown-Conrady:";
  const auto now = l.coefficientsAt(frame);
  shot::Sentence words = {plain("Bent by"), model};
  const char* names[] = {"k1", "k2", "k3", "p1", "p2"};
  for (size_t i = 0; i < (division ? 2 : 5); ++i) {
    words.push_back(plain(names[i]));
    words.push_back(number(names[i], fmt::format("{:.4f}", now[i]), now[i], -10, 10, 0.001));
  }
  sentence_->set(words);
  words = {plain("The plate is squeezed"),
           number("squeeze", l.squeeze == 1 ? std::string("not at all,") : fmt::format("{:g} times,", l.squeeze),
                  l.squeeze, 0.25, 4, 0.01)};
  if (l.squeeze != 1) {
    words.push_back(plain("about a line"));
    words.push_back(
        number("squeezeCentre", fmt::format("{:g} px", l.squeezeCentrePx), l.squeezeCentrePx, -1e4, 1e4, 1));
    words.push_back(plain("right of the centre,"));
  }
  words.push_back(plain("and the lens"));
  words.push_back(
      either("keyed", !l.keys.empty(), "stays the same.", fmt::format("changes, by {} keys,", l.keys.all().size())));
  if (!l.keys.empty())
    words.push_back(either("keyHere", l.keys.has(frame), "none on this frame.", "one on this frame."));
  form_->set(words);
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

#include "app/document/looks.h"

#include <QPointer>

#include "app/document/background.h"

namespace zentil::app {

Looks::Looks(Session* session) : QObject(session), session_(session) { pool_.setMaxThreadCount(1); }

Looks::~Looks() { pool_.waitForDone(); }

const steady::Path* Looks::path() {
  if (comparedAt_ != session_->history().revision()) {
    comparedAt_ = session_->history().revision();
    const auto& s = session_->shot();
    Of now{s.camera, s.lens, s.steady, s.spots, {}, s.range, s.width, s.height, s.projection};
    if (const auto* plane = s.surface(s.steady.surface)) now.plane = *plane;
    if (of_ != now) {
      of_ = std::move(now);
      workOut();
    }
  }
  return path_ ? &*path_ : nullptr;
}

void Looks::workOut() {
  const auto& s = session_->shot();
  path_.reset(), problem_.clear();
  const auto tried = [](const shot::Shot& shot) {
    std::pair<std::optional<steady::Path>, QString> out;
    try {
      out.first = steady::pathOf(shot);
    } catch (const std::exception& e) {
      out.second = QString::fromStdString(e.what());
    }
    return out;
  };
  if (s.steady.hold == shot::Hold::L1Path) {
    // A program to be solved; the window goes on meanwhile.
    problem_ = tr("The runs are being worked out.");
    inBackground(pool_, [self = QPointer<Looks>(this), shot = session_->snapshot(), of = *of_, tried] {
      const auto answer = tried(*shot);
      inInterface([self, of, answer] {
        if (!self || self->of_ != of) return;
        std::tie(self->path_, self->problem_) = answer;
        self->kept_.clear();
        emit self->found();
        emit self->session_->viewChanged();
      });
    });
  } else if (s.steady.hold != shot::Hold::Nothing || s.steady.level) {
    std::tie(path_, problem_) = tried(s);
  }
}

QString Looks::problem() {
  path();
  return problem_;
}

Mat3 Looks::rotation(int frame) {
  const auto& shot = session_->shot();
  const View& view = session_->view();
  const auto* steadied = view.steady ? path() : nullptr;
  const auto steer = view.aimed ? shot.flatView.at(frame) : view.steer;
  return view::steered(steer, 2, 2, steady::flatAxes(shot, steadied, frame, view.aimed && shot.flatView.ofWorld))
      .rotation;
}

view::Steer Looks::steer(int frame) {
  const auto& shot = session_->shot();
  const View& view = session_->view();
  if (!view.aimed) return view.steer;
  const Mat3 axes = steady::flatAxes(shot, view.steady ? path() : nullptr, frame, false);
  return view::steerOf(axes.transpose() * rotation(frame), shot.flatView.fovDegrees.at(frame));
}

std::shared_ptr<const steady::Look> Looks::at(int frame) {
  const auto& shot = session_->shot();
  const View& view = session_->view();
  const bool flat = view.straight && shot.projection == shot::Projection::Sphere;
  if (!view.steady && !flat) return nullptr;
  const auto* steadied = view.steady ? path() : nullptr;
  if (steadied && !steadied->looks.count(frame)) steadied = nullptr;
  if (!steadied && !flat) return nullptr;
  if (const std::pair now(session_->history().revision(), view); keptOf_ != now) kept_.clear(), keptOf_ = now;
  auto& kept = kept_[frame];
  if (!kept)
    kept = std::make_shared<const steady::Look>(
        !flat        ? steady::lookAt(shot, *steadied, frame)
        : view.aimed ? steady::flatLook(shot, steadied, frame, shot.flatView.at(frame), shot.flatView.ofWorld)
                     : steady::flatLook(shot, steadied, frame, view.steer));
  return kept;
}

}  // namespace zentil::app

#include "app/document/looks.h"

#include <QPointer>

#include "app/document/background.h"

namespace zentil::app {

Looks::Looks(Session* session) : QObject(session), session_(session) { pool_.setMaxThreadCount(1); }

Looks::~Looks() { pool_.waitForDone(); }

const steady::Path* Looks::path() {
  if (comparedAt_ != session_->history().revision()) {
    comparedAt_ = session_->history().revision();
    steady::PathInputs now(session_->shot());
    if (of_ != now) {
      of_ = std::move(now);
      workOut();
    }
  }
  return path_.get();
}

void Looks::workOut() {
  const auto& s = session_->shot();
  path_.reset(), problem_.clear();
  const auto tried = [](const shot::Shot& shot) {
    std::pair<std::shared_ptr<const steady::Path>, QString> out;
    try {
      out.first = steady::keptPathOf(shot);
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

std::shared_ptr<const view::OutputView> Looks::at(int frame) {
  const View& view = session_->view();
  if (view.isAsShot()) return nullptr;
  if (const std::pair now(session_->history().revision(), view); keptOf_ != now) kept_.clear(), keptOf_ = now;
  if (const auto it = kept_.find(frame); it != kept_.end()) return it->second;
  std::shared_ptr<const view::OutputView> look;
  QString wrong;
  try {
    look = made(frame);
  } catch (const std::exception& e) {
    wrong = QString::fromStdString(e.what());
  }
  kept_[frame] = look;
  // It is shown as shot, and said why.
  if (!wrong.isEmpty()) session_->say(wrong);
  return look;
}

std::shared_ptr<const view::OutputView> Looks::made(int frame) {
  const auto& shot = session_->shot();
  const View& view = session_->view();
  const auto shared = [](view::OutputView&& v) { return std::make_shared<const view::OutputView>(std::move(v)); };
  // Runs are worked out in the background.
  const bool wantsPath = view.delivered ? shot.output.kind == shot::OutputKind::Steadied : view.steady;
  const auto* steadied = wantsPath ? path() : nullptr;
  if (steadied && !steadied->looks.count(frame)) steadied = nullptr;
  if (view.delivered) {
    if (wantsPath && !steadied && !problem_.isEmpty()) throw std::runtime_error(problem_.toStdString());
    if (wantsPath && !steadied) return nullptr;
    return shared(session_->evaluator()->outputView(frame));
  }
  if (view.straight && shot.projection == shot::Projection::Sphere)
    return shared(view.aimed ? steady::flatView(shot, steadied, frame, shot.flatView.at(frame), shot.flatView.ofWorld)
                             : steady::flatView(shot, steadied, frame, view.steer));
  if (steadied) return shared(steady::steadiedView(shot, *steadied, frame));
  if (!view.straight || shot.lens.isStraight()) return nullptr;
  return shared(
      session_->evaluator()->straightView(frame, lens::straightBox(shot.lensAt(frame), shot.width, shot.height)));
}

}  // namespace zentil::app

#include "app/window/player.h"

#include <cmath>

namespace zentil::app {

Player::Player(Session* session, Engine* engine, CameraView* view, QObject* parent)
    : QObject(parent), session_(session), engine_(engine), view_(view) {
  timer_.setTimerType(Qt::PreciseTimer);
  connect(&timer_, &QTimer::timeout, this, &Player::tick);
  connect(session, &Session::documentReplaced, this, &Player::pause);
}

void Player::play() {
  const auto& shot = session_->shot();
  if (shot.plate().empty() || shot.range.count() < 2) return;
  startFrame_ = session_->frame();
  lastIndex_ = 0;
  shown_ = dropped_ = rateShown_ = 0;
  rate_ = 0;
  clock_.start();
  rateClock_.start();
  lookAhead();
  timer_.start(std::max(1, static_cast<int>(500.0 / shot.plate().fps)));
  emit changed();
}

void Player::pause() {
  if (!playing()) return;
  timer_.stop();
  emit changed();
}

void Player::lookAhead() {
  const auto r = session_->shot().range;
  if (r.count() == 0) return;
  std::vector<int> frames;
  for (int k = 0; k < std::min(r.count(), 240); ++k)
    frames.push_back(r.first + (session_->frame() - r.first + k) % r.count());
  engine_->lookAhead(frames, session_->view().compare == Compare::Difference ? Layer::Difference : Layer::Built);
}

void Player::tick() {
  const auto& shot = session_->shot();
  const auto r = shot.range;
  if (r.count() < 2) {
    pause();
    return;
  }
  const int index = static_cast<int>(std::floor(static_cast<double>(clock_.nsecsElapsed()) * 1e-9 * shot.plate().fps));
  if (index == lastIndex_) return;
  const int skipped = index - lastIndex_ - 1;
  dropped_ += std::max(0, skipped);
  lastIndex_ = index;
  const int frame = r.first + (startFrame_ - r.first + index) % r.count();
  if (view_->showIfReady(frame))
    ++shown_, ++rateShown_;
  else
    ++dropped_;
  if (index % 6 == 0) lookAhead();
  if (rateClock_.elapsed() >= 1000) {
    rate_ = rateShown_ * 1000.0 / static_cast<double>(rateClock_.restart());
    rateShown_ = 0;
  }
  emit changed();
}

}  // namespace zentil::app

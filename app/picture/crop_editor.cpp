#include "app/picture/crop_editor.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include "app/document/looks.h"
#include "app/widgets/style.h"

namespace zentil::app {

bool CropEditor::here() const {
  return session_->station() == Station::Deliver && session_->view().steady &&
         session_->shot().projection == shot::Projection::Camera && session_->looks().path();
}

QRectF CropEditor::onScreen() const {
  const auto& s = session_->shot();
  const Box b = shot::cropOf(s.steady, s.width, s.height);
  return {shownToScreen(Vec2(b.x0, b.y0)), shownToScreen(Vec2(b.x1, b.y1))};
}

std::pair<int, int> CropEditor::sidesAt(const QPointF& at) const {
  constexpr double kNear = 7;
  const auto& s = session_->shot();
  const QRectF r = onScreen();
  if (shot::cropOf(s.steady, s.width, s.height) == s.frameBox() ||
      !r.adjusted(-kNear, -kNear, kNear, kNear).contains(at))
    return {0, 0};
  const auto side = [](double v, double low, double high) {
    return std::abs(v - low) < kNear ? -1 : std::abs(v - high) < kNear ? 1 : 0;
  };
  return {side(at.x(), r.left(), r.right()), side(at.y(), r.top(), r.bottom())};
}

void CropEditor::put(const Vec2& from, const Vec2& to) {
  const auto& s = session_->shot();
  const auto within = [&](const Vec2& v) {
    return Vec2(std::clamp(std::round(v.x()), 0.0, double(s.width)),
                std::clamp(std::round(v.y()), 0.0, double(s.height)));
  };
  session_->change(
      QObject::tr("crop"),
      [&](shot::Shot& shot) {
        shot.steady.cropFrom = within(from.cwiseMin(to)), shot.steady.cropTo = within(from.cwiseMax(to));
      },
      "crop");
}

void CropEditor::paint(QPainter& p, const QPointF& pointer) {
  if (!here()) return;
  const auto& s = session_->shot();
  const bool drawing = from_.has_value();
  if (!drawing && shot::cropOf(s.steady, s.width, s.height) == s.frameBox()) return;
  const QRectF r = drawing ? QRectF(shownToScreen(*from_), shownToScreen(to_)).normalized() : onScreen();
  p.setRenderHint(QPainter::Antialiasing, false);
  // What is left out, darker.
  QPainterPath out;
  out.addRect(QRectF(shownToScreen(Vec2(0, 0)), shownToScreen(Vec2(s.width, s.height))));
  out.addRect(r);
  p.fillPath(out, QColor(0x14, 0x15, 0x16, 150));
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(QColor(0, 0, 0, 120), 3));
  p.drawRect(r);
  const auto [across, down] = drawing ? std::pair(0, 0) : sides_ != std::pair(0, 0) ? sides_ : sidesAt(pointer);
  p.setPen(QPen(across || down || drawing ? QColor(Qt::white) : style::kAccent, 1.4));
  p.drawRect(r);
  const Box b = drawing ? Box{int(std::min(from_->x(), to_.x())), int(std::min(from_->y(), to_.y())),
                              int(std::max(from_->x(), to_.x())), int(std::max(from_->y(), to_.y()))}
                        : shot::cropOf(s.steady, s.width, s.height);
  QFont mono("DejaVu Sans Mono");
  mono.setPixelSize(11);
  p.setFont(mono);
  p.drawText(r.adjusted(6, 4, -6, -4), Qt::AlignTop | Qt::AlignLeft, QString("%1 × %2").arg(b.width()).arg(b.height()));
}

bool CropEditor::press(QMouseEvent* e) {
  if (!here() || e->button() != Qt::LeftButton) return false;
  if (inHand()) {
    from_ = to_ = screenToShown(e->position());
    return true;
  }
  sides_ = sidesAt(e->position());
  return sides_ != std::pair(0, 0);
}

bool CropEditor::move(QMouseEvent* e) {
  if (from_) {
    to_ = screenToShown(e->position());
    return true;
  }
  if (sides_ == std::pair(0, 0)) return inHand() && here();
  const auto& s = session_->shot();
  const Box b = shot::cropOf(s.steady, s.width, s.height);
  const Vec2 at = screenToShown(e->position());
  Vec2 from(b.x0, b.y0), to(b.x1, b.y1);
  constexpr double kLeast = 16;
  if (sides_.first < 0) from.x() = std::min(at.x(), to.x() - kLeast);
  if (sides_.first > 0) to.x() = std::max(at.x(), from.x() + kLeast);
  if (sides_.second < 0) from.y() = std::min(at.y(), to.y() - kLeast);
  if (sides_.second > 0) to.y() = std::max(at.y(), from.y() + kLeast);
  put(from, to);
  return true;
}

bool CropEditor::release(QMouseEvent*) {
  if (from_) {
    const Vec2 from = *from_;
    from_.reset();
    constexpr double kLeast = 16;
    if (std::abs(from.x() - to_.x()) < kLeast || std::abs(from.y() - to_.y()) < kLeast) {
      session_->say(QObject::tr("That is too small for a crop. Drag across the part to deliver."));
      return true;
    }
    put(from, to_);
    session_->endSeries();
    session_->setTool(Tool::Pick);
    return true;
  }
  if (sides_ == std::pair(0, 0)) return false;
  sides_ = {0, 0};
  session_->endSeries();
  return true;
}

bool CropEditor::cancel() {
  if (!from_) return false;
  from_.reset();
  return true;
}

}  // namespace zentil::app

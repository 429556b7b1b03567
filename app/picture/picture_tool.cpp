#include "app/picture/picture_tool.h"

#include <QPainter>

#include "app/widgets/style.h"

namespace zentil::app {

void PictureTool::loupe(QPainter& p, const QPointF& at, const Vec2& plate) const {
  const QImage image = engine_->latest(Layer::Built).image;
  if (image.isNull() || !session_->view().isAsShot()) return;
  constexpr int kSide = 15, kSize = 120;
  const QPointF corner = at + QPointF(24, at.y() > kSize + 40 ? -kSize - 24 : 24);
  const QRectF from(plate.x() - image.offset().x() - kSide / 2.0, plate.y() - image.offset().y() - kSide / 2.0, kSide,
                    kSide);
  p.setRenderHint(QPainter::SmoothPixmapTransform, false);
  p.drawImage(QRectF(corner, QSizeF(kSize, kSize)), image, from);
  p.setPen(QPen(style::kAccent, 1.2));
  p.setBrush(Qt::NoBrush);
  p.drawRect(QRectF(corner, QSizeF(kSize, kSize)));
  const QPointF middle = corner + QPointF(kSize / 2.0, kSize / 2.0);
  p.drawLine(middle - QPointF(9, 0), middle + QPointF(9, 0));
  p.drawLine(middle - QPointF(0, 9), middle + QPointF(0, 9));
}

}  // namespace zentil::app

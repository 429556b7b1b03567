#include "app/widgets/export_picture.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>

#include "app/widgets/style.h"
#include "core/value/text.h"

namespace zentil::app {
namespace {

using shot::FromEdge;
using shot::Handedness;
using shot::UpAxis;

void arrow(QPainter& p, const QPointF& from, const QPointF& to) {
  p.drawLine(from, to);
  const QLineF line(to, from);
  for (const double turn : {24.0, -24.0}) {
    QLineF head = line;
    head.setLength(5);
    head.setAngle(line.angle() + turn);
    p.drawLine(head);
  }
}

/// Right, up, and the third towards or away from whoever looks.
void drawAxes(QPainter& p, const QRectF& r, const shot::ExportSettings& h) {
  const QPointF origin(r.left() + r.width() * 0.4, r.top() + r.height() * 0.5);
  const double length = r.height() * 0.34;
  const bool z = h.up == UpAxis::Z;
  // In a right hand X, Y, Z turn the same way as right, up, towards: with Z up, Y goes away.
  const bool towards = (h.hand == Handedness::Right) != z;
  const QPointF right = origin + QPointF(length, 0), up = origin - QPointF(0, length);
  const QPointF third =
      origin + (towards ? QPointF(-length * 0.5, length * 0.42) : QPointF(length * 0.5, -length * 0.42));
  p.setPen(QPen(style::kQuiet, 1.3));
  arrow(p, origin, right);
  if (!towards) p.setPen(QPen(style::kQuiet, 1.3, Qt::DashLine));
  arrow(p, origin, third);
  p.setPen(QPen(style::kAccent, 1.8));
  arrow(p, origin, up);
  p.setPen(QColor(0xdf, 0xe2, 0xe4));
  const auto letter = [&](const QPointF& at, const char* text) {
    p.drawText(QRectF(at - QPointF(8, 8), QSizeF(16, 16)), Qt::AlignCenter, text);
  };
  letter(right + QPointF(8, 0), "X");
  letter(up - QPointF(9, 0), z ? "Z" : "Y");
  letter(third + (towards ? QPointF(-6, 5) : QPointF(8, -4)), z ? "Y" : "Z");
}

/// A metre's rod, and its number beyond.
void drawUnit(QPainter& p, const QRectF& r, const shot::ExportSettings& h) {
  const double y = r.top() + r.height() * 0.34, left = r.left() + 8, right = r.right() - 8;
  p.setPen(QPen(style::kQuiet, 1.3));
  p.drawLine(QPointF(left, y), QPointF(right, y));
  for (int i = 0; i <= 10; ++i) {
    const double x = left + (right - left) * i / 10, tall = i % 5 == 0 ? 5 : 2.5;
    p.drawLine(QPointF(x, y - tall), QPointF(x, y + tall));
  }
  p.setPen(QColor(0xdf, 0xe2, 0xe4));
  p.drawText(QRectF(r.left(), y - 22, r.width(), 14), Qt::AlignCenter, "1 m");
  p.setPen(style::kAccent);
  p.drawText(QRectF(r.left(), y + 7, r.width(), 16), Qt::AlignCenter, QString("%1").arg(h.unitsPerM, 0, 'g', 6));
}

void drawFrames(QPainter& p, const QRectF& r, const shot::ExportSettings& h, int first) {
  const double y = r.top() + r.height() * 0.3;
  p.setPen(QPen(style::kQuiet, 1.1));
  for (int i = 0; i < 4; ++i)
    p.drawRect(QRectF(r.left() + 8 + i * (r.width() - 16) / 4, y - 9, (r.width() - 16) / 4, 12));
  p.setPen(QColor(0xdf, 0xe2, 0xe4));
  p.drawText(QRectF(r.left(), y - 26, r.width(), 14), Qt::AlignLeft | Qt::AlignVCenter, "  " + QString::number(first));
  p.setPen(style::kAccent);
  p.drawText(QRectF(r.left(), y + 6, r.width(), 16), Qt::AlignLeft | Qt::AlignVCenter,
             "  " + QString::number(first + h.frameOffset));
}

/// The picture with where its numbers begin, and what they are at the other corner.
void drawFlat(QPainter& p, const QRectF& r, const shot::ExportSettings& h, int width, int height) {
  const QRectF box(r.left() + 10, r.top() + 10, r.width() - 20, r.height() * 0.48);
  QPainterPath edge;
  const double bow = h.straight ? 0 : 4;
  edge.moveTo(box.topLeft());
  edge.quadTo(QPointF(box.center().x(), box.top() - bow), box.topRight());
  edge.quadTo(QPointF(box.right() + bow, box.center().y()), box.bottomRight());
  edge.quadTo(QPointF(box.center().x(), box.bottom() + bow), box.bottomLeft());
  edge.quadTo(QPointF(box.left() - bow, box.center().y()), box.topLeft());
  p.setPen(QPen(style::kQuiet, 1.3));
  p.setBrush(Qt::NoBrush);
  p.drawPath(edge);
  const bool top = h.from == FromEdge::Top;
  const QPointF origin = top ? box.topLeft() : box.bottomLeft();
  const QPointF inwards(0, top ? 1 : -1);
  p.setPen(QPen(style::kAccent, 1.6));
  arrow(p, origin, origin + QPointF(15, 0));
  arrow(p, origin, origin + inwards * 13);
  p.setBrush(style::kAccent);
  p.drawEllipse(origin, 2.4, 2.4);
  p.setPen(QColor(0xdf, 0xe2, 0xe4));
  const QString far = h.unit ? QString("1, 1") : QString("%1, %2").arg(width).arg(height);
  QFont small = p.font();
  small.setPixelSize(10);
  p.setFont(small);
  p.drawText(box.adjusted(-8, 2, -3, -2), (top ? Qt::AlignBottom : Qt::AlignTop) | Qt::AlignRight, far);
}

}  // namespace

ExportPicture::ExportPicture(Session* session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName("exportPicture");
  setAccessibleName(tr("What the export settings do"));
  setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  setCursor(Qt::PointingHandCursor);
  connect(session, &Session::shotChanged, this, qOverload<>(&QWidget::update));
}

QRectF ExportPicture::part(int i) const {
  const double wide = width() / static_cast<double>(kParts);
  return {i * wide, 0, wide, static_cast<double>(height())};
}

int ExportPicture::partAt(const QPointF& at) const {
  return std::clamp(static_cast<int>(at.x() * kParts / std::max(1, width())), 0, kParts - 1);
}

QString ExportPicture::wordsOf(int i) const {
  const auto& h = session_->shot().exportSettings;
  switch (i) {
    case 0:
      return tr("%1 up, %2").arg(nameOf(h.up), nameOf(h.hand));
    case 1:
      return tr("units");
    case 2:
      return h.frameOffset ? tr("frames %1").arg(QString::asprintf("%+d", h.frameOffset)) : tr("frames kept");
    default:
      return h.straight ? tr("straight") : tr("as shot");
  }
}

void ExportPicture::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  QFont f("Inter");
  f.setPixelSize(11);
  p.setFont(f);
  const auto& s = session_->shot();
  for (int i = 0; i < kParts; ++i) {
    const QRectF r = part(i), drawing = r.adjusted(2, 4, -2, -4);
    p.setBrush(Qt::NoBrush);
    if (i == 0) drawAxes(p, drawing, s.exportSettings);
    if (i == 1) drawUnit(p, drawing, s.exportSettings);
    if (i == 2) drawFrames(p, drawing, s.exportSettings, s.range.first);
    if (i == 3) drawFlat(p, drawing, s.exportSettings, s.width, s.height);
    p.setFont(f);
    p.setPen(style::kQuiet);
    p.drawText(QRectF(r.left(), r.bottom() - 18, r.width(), 16), Qt::AlignCenter,
               p.fontMetrics().elidedText(wordsOf(i), Qt::ElideRight, static_cast<int>(r.width()) - 4));
  }
}

void ExportPicture::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  const int i = partAt(e->position());
  session_->change(tr("change the export settings"), [i](shot::Shot& s) {
    auto& h = s.exportSettings;
    if (i == 0) {
      if (h.hand == Handedness::Left) h.up = h.up == UpAxis::Y ? UpAxis::Z : UpAxis::Y;
      h.hand = h.hand == Handedness::Right ? Handedness::Left : Handedness::Right;
    } else if (i == 1) {
      h.unitsPerM = h.unitsPerM == 1 ? 100 : h.unitsPerM == 100 ? 1000 : 1;
    } else if (i == 2) {
      h.frameOffset = h.frameOffset ? 0 : 1 - s.range.first;
    } else {
      // From the top and from the bottom, in pixels and from 0 to 1, as shot and straight.
      if (h.from == FromEdge::Bottom) {
        if (h.unit) h.straight = !h.straight;
        h.unit = !h.unit;
      }
      h.from = h.from == FromEdge::Top ? FromEdge::Bottom : FromEdge::Top;
    }
  });
}

bool ExportPicture::event(QEvent* e) {
  if (e->type() == QEvent::ToolTip) {
    const auto* help = static_cast<QHelpEvent*>(e);
    static const char* const kTips[kParts] = {
        QT_TR_NOOP(
            "Which axis is up, and whether the third axis points towards the viewer (right-handed, Y up) or away. "
            "A click: the next"),
        QT_TR_NOOP("What a metre of the set becomes. A click: metres, centimetres, millimetres"),
        QT_TR_NOOP("What the first frame's number becomes. A click: as here, or from 1 on"),
        QT_TR_NOOP("Where 2D is counted from, up to which numbers, with the lens or without. A click: the next")};
    QToolTip::showText(help->globalPos(), tr(kTips[partAt(help->pos())]), this);
    return true;
  }
  return QWidget::event(e);
}

}  // namespace zentil::app

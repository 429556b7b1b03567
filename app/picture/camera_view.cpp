#include "app/picture/camera_view.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>
#include <functional>
#include <map>

#include "app/widgets/style.h"
#include "core/base/error.h"
#include "core/comp/cover.h"

namespace zentil::app {

CameraView::CameraView(Session* session, Engine* engine, QWidget* parent)
    : WorldView(session, engine, parent),
      mattes_(session, engine),
      lines_(session, engine),
      trackers_(session, engine),
      regions_(session, engine),
      keys_(session, engine),
      up_(session, engine),
      walls_(session, engine),
      elsewhere_(session, engine),
      painter_(session, engine),
      spots_(session, engine),
      crop_(session, engine) {
  crop_.shownToScreen = [this](const Vec2& p) { return onScreen(p); };
  crop_.screenToShown = [this](const QPointF& at) {
    const QPointF q = (at - offset_) / scale_;
    return Vec2(q.x() / pixelAspect(), q.y());
  };
  painter_.changed = [this] { update(); };
  elsewhere_.rayAt = [this](const QPointF& at, Vec3& o, Vec3& d) { return rayAt(at, o, d); };
  setObjectName("cameraView");
  setAccessibleName(tr("Through the camera"));
  setAttribute(Qt::WA_OpaquePaintEvent);
  for (PictureTool* t : tools_) {
    t->toScreen = [this](const Vec2& p) { return plateToWidget(p); };
    t->toPlate = [this](const QPointF& p) { return widgetToPlate(p); };
  }
  connect(session, &Session::frameChanged, this, qOverload<>(&QWidget::update));
  connect(session, &Session::documentReplaced, this, [this] { fit(); });
  connect(engine, &Engine::ready, this, [this](int frame) {
    if (frame == session_->frame()) update();
  });
  connect(&engine->meter(), &Meter::changed, this, qOverload<>(&QWidget::update));
  connect(&engine->jobs(), &ShotJobs::changed, this, qOverload<>(&QWidget::update));
  flickerTimer_.setInterval(450);
  connect(&flickerTimer_, &QTimer::timeout, this, [this] {
    flicker_ = !flicker_;
    update();
  });
  connect(session, &Session::viewChanged, this, [this] {
    if (fitted_) fit();
    if (session_->view().compare == Compare::Flicker)
      flickerTimer_.start();
    else
      flickerTimer_.stop(), flicker_ = false;
  });
}

const CameraView::Sight& CameraView::sight() const {
  const auto& shot = session_->shot();
  const int frame = session_->frame();
  // Runs that were being worked out are there from some moment on.
  const std::tuple now(session_->history().revision(), frame, std::cref(session_->view()),
                       static_cast<const void*>(session_->view().steady ? session_->looks().path() : nullptr));
  if (sightOf_ == now) return sight_;
  sightOf_ = now;
  sight_.look = session_->looks().at(frame);
  sight_.straight = session_->view().straight && !sight_.look && !shot.lens.isStraight();
  sight_.lens = shot.lensAt(frame);
  sight_.view = nullptr;
  if (shot.hasCamera(frame)) sight_.view = shot.viewAt(frame);
  return sight_;
}

bool CameraView::flat() const {
  return session_->view().straight && session_->shot().projection == shot::Projection::Sphere;
}

view::Steer CameraView::steer() const { return session_->looks().steer(session_->frame()); }

double CameraView::pixelAspect() const { return session_->shot().plate().pixelAspect; }

QPointF CameraView::onScreen(const Vec2& p) const { return offset_ + QPointF(p.x() * pixelAspect(), p.y()) * scale_; }

QPointF CameraView::plateToWidget(const Vec2& plate) const {
  Vec2 p = plate;
  const Sight& s = sight();
  if (s.look)
    p = s.look->fromPlate(plate, p) ? p : plate;
  else if (s.straight && !s.lens.straightFromPlate(plate, p))
    p = plate;
  return onScreen(p);
}

Vec2 CameraView::widgetToPlate(const QPointF& at) const {
  const QPointF q = (at - offset_) / scale_;
  Vec2 p(q.x() / pixelAspect(), q.y()), bent;
  const Sight& s = sight();
  if (s.look) return s.look->toPlate(p, bent) ? bent : p;
  return s.straight && s.lens.plateFromStraight(p, bent) ? bent : p;
}

bool CameraView::toScreen(const Vec3& world, QPointF& at) const {
  const Sight& s = sight();
  if (!s.view) return false;
  Vec2 p;
  const bool there = s.look       ? s.look->see(world, p)
                     : s.straight ? s.view->seeStraight(world, p)
                                  : s.view->see(world, p);
  if (there) at = onScreen(p);
  return there;
}

bool CameraView::rayAt(const QPointF& at, Vec3& origin, Vec3& direction) const {
  const auto& view = sight().view;
  if (!view) return false;
  const Vec2 pixel = widgetToPlate(at);
  origin = view->positionAt(pixel);
  if (!view->unproject(pixel, direction)) return false;
  direction.normalize();
  return true;
}

void CameraView::fit() {
  const auto& plate = session_->shot().plate();
  fitted_ = true;
  if (plate.empty() || width() < 20) return;
  Box box = session_->shot().frameBox();
  try {
    if (straight())
      box = unite(box, lens::straightBox(session_->shot().lensAt(session_->frame()), plate.width, plate.height));
  } catch (const std::exception&) {
    // A lens that folds over is named in the ledger; the plate's own frame is fitted.
  }
  const double wide = pixelAspect();
  scale_ = std::min((width() - 16.0) / (box.width() * wide), (height() - 16.0) / box.height());
  offset_ = QPointF((width() - (box.x0 + box.x1) * wide * scale_) / 2, (height() - (box.y0 + box.y1) * scale_) / 2);
  update();
}

void CameraView::zoomTo(double scale, const QPointF& about) {
  scale = std::clamp(scale, 0.05, 64.0);
  offset_ = about - (about - offset_) * (scale / scale_);
  scale_ = scale;
  fitted_ = false;
  update();
}

QRectF CameraView::imageRect(const QImage& image) const {
  return {onScreen(Vec2(image.offset().x(), image.offset().y())),
          QSizeF(image.width() * pixelAspect(), image.height()) * scale_};
}

void CameraView::paintPicture(QPainter& p, const QImage& image) {
  const QRectF to = imageRect(image);
  // Above 200% single pixels are what one wants to see.
  if (scale_ >= 2) {
    p.fillRect(rect(), style::kAround);
    p.drawImage(to, image);
    return;
  }
  // Scaled once, then copied for as long as nothing but what lies over it changes.
  if (scaledOf_ != image.cacheKey() || scaledTo_ != to || scaled_.size() != size()) {
    if (scaled_.size() != size()) scaled_ = QImage(size(), QImage::Format_RGB32);
    QPainter onto(&scaled_);
    if (!to.contains(QRectF(rect()))) scaled_.fill(style::kAround);
    onto.setRenderHint(QPainter::SmoothPixmapTransform);
    onto.drawImage(to, image);
    scaledOf_ = image.cacheKey(), scaledTo_ = to;
  }
  p.drawImage(0, 0, scaled_);
}

void CameraView::paintGrid(QPainter& p) const {
  const auto& shot = session_->shot();
  const auto lens = shot.lensAt(session_->frame());
  // Sixteen squares across, counted from the optical centre, over all that the window shows.
  const double side = shot.width / 16.0 * pixelAspect() * scale_;
  const QPointF centre = onScreen({lens.cx, lens.cy});
  p.setRenderHint(QPainter::Antialiasing, false);
  const auto lines = [&](double middle, double end, bool upright) {
    for (double at = middle - std::floor(middle / side) * side; at < end; at += side) {
      const bool main = std::abs(at - middle) < 0.5;
      p.setPen(QPen(QColor(255, 255, 255, main ? 130 : 55), 1));
      if (upright)
        p.drawLine(QPointF(at, 0), QPointF(at, height()));
      else
        p.drawLine(QPointF(0, at), QPointF(width(), at));
    }
  };
  lines(centre.x(), width(), true);
  lines(centre.y(), height(), false);
  if (underMouse() && rect().contains(pointer_.toPoint())) {
    p.setPen(QPen(style::kAccent, 1));
    p.drawLine(QPointF(pointer_.x(), 0), QPointF(pointer_.x(), height()));
    p.drawLine(QPointF(0, pointer_.y()), QPointF(width(), pointer_.y()));
  }
}

void CameraView::paintTracks(QPainter& p) const {
  const Station here = session_->station();
  if (here != Station::Track && here != Station::Camera) return;
  const auto& shot = session_->shot();
  const int frame = session_->frame();
  p.setRenderHint(QPainter::Antialiasing, false);
  if (shot.tracks->empty()) {
    const auto& jobs = engine_->jobs();
    if (here != Station::Track || jobs.featuresOn() != frame) return;
    p.setPen(QPen(style::kAccent, 1));
    for (const Vec2& f : jobs.features()) {
      const QPointF at = plateToWidget(f);
      p.drawRect(QRectF(at - QPointF(2, 2), QSizeF(4, 4)));
    }
    return;
  }
  std::map<int, const solve::TrackError*> errors;
  if (shot.solved)
    for (const auto& e : shot.solved->tracks) errors[e.id] = &e;
  // Where each came from over the last frames, and where it is; coloured by how well it fits.
  constexpr int kTail = 8;
  for (const auto& t : *shot.tracks) {
    if (!t.has(frame)) continue;
    const auto e = errors.find(t.id);
    const bool out = !t.on || (e != errors.end() && !e->second->used());
    const QColor colour = out                 ? QColor(0x8f, 0x94, 0x99, 150)
                          : e != errors.end() ? style::errorRamp(e->second->meanPx / 0.5)
                                              : style::kAccent;
    p.setPen(QPen(colour, 1));
    QPolygonF tail;
    for (int f = std::max(frame - kTail, t.first); f <= frame; ++f)
      if (t.has(f)) tail << plateToWidget(t.where(f));
    p.drawPolyline(tail);
    const QPointF at = plateToWidget(t.where(frame));
    if (here == Station::Camera && t.id == session_->tracker()) {
      p.setPen(QPen(style::kPin, 1.4));
      p.drawEllipse(at, 8, 8);
      p.setPen(QPen(colour, 1));
    }
    if (out) {
      p.drawLine(at - QPointF(2, 2), at + QPointF(2, 2));
      p.drawLine(at - QPointF(2, -2), at + QPointF(2, -2));
    } else {
      p.fillRect(QRectF(at - QPointF(1.5, 1.5), QSizeF(3, 3)), colour);
    }
  }
}

void CameraView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const auto& shot = session_->shot();
  if (shot.plate().empty()) {
    p.fillRect(rect(), style::kAround);
    p.setPen(style::kQuiet);
    p.drawText(rect(), Qt::AlignCenter,
               tr("Drop a plate here: a frame of an image sequence, or a movie.\nThen its camera (glTF or CSV), lens "
                  "and points."));
    return;
  }
  const Compare compare = session_->view().compare;
  const int frame = session_->frame();
  const Layer other = session_->view().against ? Layer::Other : Layer::Plate;
  Layer main = Layer::Built;
  if (compare == Compare::Difference) main = Layer::Difference;
  if (compare == Compare::Flicker && flicker_) main = other;
  QImage image = engine_->image(frame, main);
  upToDate_ = !image.isNull() && !session_->draft();
  // What cannot be made is not stood in for by another frame.
  std::optional<int> shownInstead;
  if (image.isNull() && engine_->problemAt(frame).isEmpty()) {
    const Engine::Latest latest = engine_->latest(main);
    image = latest.image;
    if (!image.isNull()) shownInstead = latest.frame;
  }
  if (image.isNull()) {
    p.fillRect(rect(), style::kAround);
    p.setPen(style::kQuiet);
    const QString problem = engine_->problemAt(frame);
    p.drawText(rect().adjusted(40, 0, -40, 0), Qt::AlignCenter | Qt::TextWordWrap,
               problem.isEmpty() ? tr("reading frame %1").arg(frame) : problem);
  } else {
    paintPicture(p, image);
    if (upToDate_) painter_.pictureIsCurrent();
    if (main == Layer::Built)
      painter_.paintFresh(p, [this](const QRectF& r) {
        return QRectF(onScreen(Vec2(r.left(), r.top())), QSizeF(r.width() * pixelAspect(), r.height()) * scale_);
      });
  }
  if (compare == Compare::Wipe) {
    QImage before = engine_->image(frame, other);
    if (before.isNull()) before = engine_->latest(other).image;
    const double x = wipe_ * width();
    if (!before.isNull()) {
      p.save();
      p.setClipRect(QRectF(0, 0, x, height()));
      p.drawImage(imageRect(before), before);
      p.restore();
    }
    p.setPen(QPen(style::kAccent, 1.4));
    p.drawLine(QPointF(x, 0), QPointF(x, height()));
    p.setRenderHint(QPainter::Antialiasing);
    p.setBrush(style::kAccent);
    p.drawRoundedRect(QRectF(x - 5, height() / 2.0 - 16, 10, 32), 5, 5);
    p.setRenderHint(QPainter::Antialiasing, false);
    for (const bool left : {true, false}) {
      const QRectF tag = left ? QRectF(x - 62, 10, 54, 20) : QRectF(x + 8, 10, 46, 20);
      p.fillRect(tag, QColor(0x14, 0x15, 0x16, 217));
      p.setPen(QColor(0xdf, 0xe2, 0xe4));
      p.drawText(tag, Qt::AlignCenter,
                 session_->view().against ? QString::number(left ? *session_->view().against : frame)
                 : left                   ? tr("before")
                                          : tr("after"));
    }
  }
  if (const QString missing = engine_->missingAt(frame); !image.isNull() && !missing.isEmpty()) {
    p.fillRect(QRect(0, 0, width(), 26), QColor(0x2f, 0x2a, 0x22, 235));
    p.setPen(style::kWarn);
    p.drawText(QRect(10, 0, width() - 20, 26), Qt::AlignVCenter,
               p.fontMetrics().elidedText(missing, Qt::ElideRight, width() - 24));
  }
  if (shownInstead) {
    // A picture of another frame, or of settings from before, is never taken for the one that is asked for.
    const QString text = *shownInstead == frame ? tr("updating frame %1").arg(frame)
                                                : tr("still frame %1, making %2").arg(*shownInstead).arg(frame);
    const QRect tag(width() - p.fontMetrics().horizontalAdvance(text) - 28, 10,
                    p.fontMetrics().horizontalAdvance(text) + 18, 22);
    p.fillRect(tag, QColor(0x14, 0x15, 0x16, 217));
    p.setPen(style::kWarn);
    p.drawText(tag, Qt::AlignCenter, text);
  }
  if (straight()) {
    // The plate's own border, bent straight, and the straight picture's size.
    p.setRenderHint(QPainter::Antialiasing);
    QPolygonF border;
    const double w = shot.width, h = shot.height;
    for (int side = 0; side < 4; ++side)
      for (int k = 0; k < 40; ++k) {
        const double t = k / 40.0;
        border << plateToWidget(side == 0   ? Vec2(t * w, 0)
                                : side == 1 ? Vec2(w, t * h)
                                : side == 2 ? Vec2((1 - t) * w, h)
                                            : Vec2(0, (1 - t) * h));
      }
    p.setPen(QPen(QColor(255, 255, 255, 90), 1, Qt::DashLine));
    p.setBrush(Qt::NoBrush);
    p.drawPolygon(border);
  }
  if (session_->view().grid) paintGrid(p);
  if (session_->view().overlays) {
    const bool errors = session_->view().errors && session_->station() == Station::Camera;
    errors ? paintErrors(p) : paintTracks(p);
  }
  paintWorld(p);
  for (PictureTool* t : tools_)
    if (session_->view().overlays || t->inHand()) t->paint(p, pointer_);
  if (session_->view().overlays) {
    if (session_->view().held) paintHeld(p);
    paintNeverSeen(p);
    paintSlip(p);
  }
  emit framePainted(frame);
}

bool CameraView::showIfReady(int frame) {
  const Compare compare = session_->view().compare;
  const Layer main = compare == Compare::Difference ? Layer::Difference : Layer::Built;
  if (!engine_->hasImage(frame, main)) return false;
  session_->setFrame(frame);
  return true;
}

void CameraView::resizeEvent(QResizeEvent*) {
  if (fitted_) fit();
}

void CameraView::mousePressEvent(QMouseEvent* e) {
  setFocus();
  if (e->button() == Qt::MiddleButton || (e->button() == Qt::LeftButton && e->modifiers() & Qt::ControlModifier)) {
    panning_ = true;
    panFrom_ = e->position();
    offsetFrom_ = offset_, steerFrom_ = steer();
    return;
  }
  if (session_->view().compare == Compare::Wipe && e->button() == Qt::LeftButton &&
      std::abs(e->position().x() - wipe_ * width()) < 8 && session_->tool() == Tool::Pick) {
    wiping_ = true;
    return;
  }
  if (anyTool([&](PictureTool& t) { return t.press(e); })) {
    update();
    return;
  }
  if (worldPress(e)) update();
}

void CameraView::mouseMoveEvent(QMouseEvent* e) {
  pointer_ = e->position();
  if (panning_ && flat()) {
    // What was taken hold of stays under the pointer, in the middle of the view.
    const double degrees = steerFrom_.fovDegrees / (session_->shot().width * scale_);
    const QPointF by = (e->position() - panFrom_) * degrees;
    View v = session_->view();
    v.steer = steerFrom_, v.aimed = false;
    v.steer.yaw = std::remainder(steerFrom_.yaw - by.x(), 360);
    v.steer.pitch = std::clamp(steerFrom_.pitch + by.y(), -90.0, 90.0);
    session_->setView(v);
    return;
  }
  if (panning_) {
    offset_ = offsetFrom_ + e->position() - panFrom_;
    fitted_ = false;
    update();
    return;
  }
  if (wiping_) {
    wipe_ = std::clamp(e->position().x() / width(), 0.0, 1.0);
    update();
    return;
  }
  if (anyTool([&](PictureTool& t) { return t.move(e); })) {
    update();
    emit pointing(pointer_);
    return;
  }
  if (session_->view().grid) update();
  worldMove(e);
}

void CameraView::mouseReleaseEvent(QMouseEvent* e) {
  if (panning_ || wiping_) {
    panning_ = wiping_ = false;
    return;
  }
  if (anyTool([&](PictureTool& t) { return t.release(e); })) {
    update();
    return;
  }
  worldRelease(e);
}

void CameraView::mouseDoubleClickEvent(QMouseEvent* e) {
  if (!anyTool([&](PictureTool& t) { return t.doubleClick(e); })) mousePressEvent(e);
  update();
}

bool CameraView::event(QEvent* e) {
  // What the tool in hand wants does not step frames.
  if (e->type() == QEvent::ShortcutOverride &&
      anyTool([&](PictureTool& t) { return t.wants(static_cast<QKeyEvent*>(e)); })) {
    e->accept();
    return true;
  }
  return WorldView::event(e);
}

void CameraView::tabletEvent(QTabletEvent* e) {
  pointer_ = e->position();
  if (!painter_.pen(e)) {
    e->ignore();  // it comes again as a mouse
    return;
  }
  if (e->type() == QEvent::TabletPress) setFocus();
  e->accept();
  update();
}

void CameraView::wheelEvent(QWheelEvent* e) {
  if (flat()) {
    View v = session_->view();
    v.steer = steer(), v.aimed = false;
    v.steer.fovDegrees = std::clamp(v.steer.fovDegrees * std::pow(1.0015, -e->angleDelta().y()), 10.0, 150.0);
    session_->setView(v);
    e->accept();
    return;
  }
  zoomTo(scale_ * std::pow(1.0015, e->angleDelta().y()), e->position());
  e->accept();
}

void CameraView::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Escape && (anyTool([](PictureTool& t) { return t.cancel(); }) || cancelDrag())) {
    update();
    return;
  }
  if (anyTool([&](PictureTool& t) { return t.key(e, pointer_); })) {
    update();
    return;
  }
  QWidget::keyPressEvent(e);
}

}  // namespace zentil::app

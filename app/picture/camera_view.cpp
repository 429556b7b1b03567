#include "app/picture/camera_view.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>
#include <functional>
#include <map>

#include "app/widgets/style.h"
#include "core/base/error.h"

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
                       static_cast<const void*>(session_->view().isAsShot() ? nullptr : session_->looks().path()));
  if (sightOf_ == now) return sight_;
  sightOf_ = now;
  sight_.look = session_->looks().at(frame);
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
  if (s.look) p = s.look->fromPlate(plate, p) ? p : plate;
  return onScreen(p);
}

Vec2 CameraView::widgetToPlate(const QPointF& at) const {
  const QPointF q = (at - offset_) / scale_;
  Vec2 p(q.x() / pixelAspect(), q.y()), bent;
  const Sight& s = sight();
  return s.look && s.look->toPlate(p, bent) ? bent : p;
}

bool CameraView::toScreen(const Vec3& world, QPointF& at) const {
  const Sight& s = sight();
  if (!s.view) return false;
  Vec2 p;
  const bool there = s.look ? s.look->see(world, p) : s.view->see(world, p);
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
  const Box box = look() ? look()->box : session_->shot().frameBox();
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

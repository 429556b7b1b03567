#include "app/picture/set_view.h"

#include <Eigen/Geometry>
#include <QCoreApplication>
#include <QMouseEvent>
#include <QPainter>
#include <QPointer>
#include <QThreadPool>
#include <cmath>

#include "app/document/background.h"
#include "app/widgets/style.h"
#include "core/base/parallel.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/colour.h"
#include "core/set/surface_map.h"

namespace zentil::app {
namespace {

/// The set through a free camera: wherever the shot's camera sees a surface, the built picture of the frame; elsewhere
/// the surface in grey, lit from the viewer.
QImage renderSet(const evaluate::ShotEvaluator& evaluator, int frame, const camera::Camera& eye, int w, int h,
                 double exposure, double gamma, comp::RenderCache& cache) {
  QImage out(w, h, QImage::Format_RGB32);
  out.fill(style::kAround);
  const auto stage = evaluator.stage(frame);
  if (stage->surfaces->empty()) return out;
  const auto scene = cache.scene(*stage);
  image::Picture covered;
  image::Picture seen(w, h, 4);
  const evaluate::FrameState state = evaluator.at(frame);
  if (stage->hasCamera && state.plate) {
    comp::BuildOptions draft;
    draft.filter = map::Filter::Draft;
    const image::Picture picture = comp::buildFrame(state, cache, draft);
    map::Chain chain;
    chain.add(std::make_shared<set::SeenBy>(eye, scene, set::kAnySurface, stage->camera, true));
    if (!stage->lens.lens.isStraight()) chain.add(std::make_shared<map::Redistort>(stage->lens));
    seen = map::resample(picture, chain, {0, 0, w, h}, {0, 0, w, h}, map::Filter::Draft);
  }
  const image::ViewTable table(exposure, gamma);
  parallelRanges(0, h, 16, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      auto* line = reinterpret_cast<QRgb*>(out.scanLine(y));
      const float* v = seen.pixel(0, y);
      for (int x = 0; x < w; ++x, v += 4) {
        if (v[3] > 0) {
          line[x] = qRgb(table(v[0]), table(v[1]), table(v[2]));
          continue;
        }
        const Vec3 d = eye.unproject({x + 0.5, y + 0.5});
        const auto hit = scene->first(eye.position, d);
        if (hit.surface < 0) continue;
        const int g = static_cast<int>(38 + 26 * std::abs(hit.normal.dot(d)));
        line[x] = qRgb(g, g, g);
      }
    }
  });
  return out;
}

}  // namespace

SetView::SetView(Session* session, Engine* engine, QWidget* parent) : WorldView(session, engine, parent) {
  setObjectName("setView");
  setAccessibleName(tr("The set"));
  for (auto signal : {&Session::shotChanged, &Session::viewChanged}) connect(session, signal, this, &SetView::render);
  connect(session, &Session::frameChanged, this, &SetView::render);
  connect(session, &Session::documentReplaced, this, [this] { framed_ = false; });
}

camera::Camera SetView::camera(double scale) const {
  camera::Camera c;
  c.fx = c.fy = 0.9 * std::max(height(), 1) * scale;
  c.cx = width() * scale / 2, c.cy = height() * scale / 2;
  const Vec3 back(std::sin(around_) * std::cos(above_), std::sin(above_), std::cos(around_) * std::cos(above_));
  c.position = target_ + distance_ * back;
  const Vec3 x = Vec3::UnitY().cross(back).normalized();
  c.rotation << x, back.cross(x), back;
  return c;
}

bool SetView::toScreen(const Vec3& world, QPointF& at) const {
  Vec2 p;
  const auto c = camera();
  if (c.depthOf(world) < 0.02 || !c.project(world, p)) return false;
  at = QPointF(p.x(), p.y());
  return true;
}

bool SetView::rayAt(const QPointF& at, Vec3& origin, Vec3& direction) const {
  const auto c = camera();
  origin = c.position;
  direction = c.unproject({at.x(), at.y()});
  return true;
}

void SetView::frameAll() {
  const auto& shot = session_->shot();
  Vec3 lo(1e9, 1e9, 1e9), hi(-1e9, -1e9, -1e9);
  const auto add = [&](const Vec3& v) { lo = lo.cwiseMin(v), hi = hi.cwiseMax(v); };
  for (const auto& p : *shot.points) add(p.at);
  for (const auto& s : shot.surfacesAt(session_->frame()))
    for (const auto& [a, b] : outlineOf(s)) add(a);
  for (const auto& [f, p] : shot.camera->poses) add(p.position);
  if (lo.x() > hi.x()) lo = Vec3(-2, 0, -2), hi = Vec3(2, 2, 2);
  target_ = (lo + hi) / 2;
  distance_ = std::max(1.0, (hi - lo).norm() * 0.85);
  around_ = 0.62, above_ = 0.42;
  framed_ = true;
  render();
}

void SetView::render() {
  if (!isVisible() || width() < 8) return;
  if (!framed_) {
    frameAll();
    return;
  }
  update();
  if (making_) {
    again_ = true;
    return;
  }
  making_ = true;
  // While something is dragged half the size will do.
  const double scale = session_->draft() || turning_ ? 0.5 : 1;
  const auto evaluator = session_->evaluator();
  const int frame = session_->frame(), w = std::max(1, static_cast<int>(width() * scale)),
            h = std::max(1, static_cast<int>(height() * scale));
  const auto eye = camera(scale);
  const double exposure = session_->view().exposure, gamma = session_->view().gamma;
  const auto cache = engine_->sharedCache();
  const QPointer<SetView> self(this);
  inBackground(*QThreadPool::globalInstance(), [self, evaluator, frame, eye, w, h, exposure, gamma, cache] {
    QImage image;
    try {
      image = renderSet(*evaluator, frame, eye, w, h, exposure, gamma, *cache);
    } catch (const std::exception&) {
      // The picture's own problem is told where the picture is shown.
    }
    inInterface([self, image] {
      if (!self) return;
      self->making_ = false;
      if (!image.isNull()) self->image_ = image;
      self->update();
      if (self->again_) self->again_ = false, self->render();
    });
  });
}

void SetView::paintPath(QPainter& p) {
  const auto& shot = session_->shot();
  QPolygonF path;
  for (const auto& [f, pose] : shot.camera->poses) {
    QPointF at;
    if (toScreen(pose.position, at)) path << at;
  }
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(style::kPin, 1.4));
  p.drawPolyline(path);
  const int frame = session_->frame();
  if (!shot.hasCamera(frame)) return;
  const auto c = shot.cameraAt(frame);
  const double reach = distance_ * 0.16;
  QPointF eye, corner[4];
  if (!toScreen(c.position, eye)) return;
  const Vec2 corners[4] = {
      {0, 0}, {double(shot.width), 0}, {double(shot.width), double(shot.height)}, {0, double(shot.height)}};
  for (int i = 0; i < 4; ++i)
    if (!toScreen(c.position + reach * c.unproject(corners[i]), corner[i])) return;
  p.setPen(QPen(Qt::white, 1.2));
  for (int i = 0; i < 4; ++i) {
    p.drawLine(eye, corner[i]);
    p.drawLine(corner[i], corner[(i + 1) % 4]);
  }
}

void SetView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), style::kAround);
  if (!image_.isNull()) {
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.drawImage(QRectF(rect()), image_);
  }
  p.setRenderHint(QPainter::Antialiasing);
  if (session_->view().overlays) {
    // The floor at height 0, a metre a square.
    p.setPen(QPen(QColor(255, 255, 255, 28), 1));
    const double cx = std::round(target_.x()), cz = std::round(target_.z());
    for (int i = -10; i <= 10; ++i)
      for (const bool along : {true, false}) {
        QPointF last;
        bool have = false;
        for (int k = -10; k <= 10; ++k) {
          QPointF at;
          const bool ok = toScreen(along ? Vec3(cx + i, 0, cz + k) : Vec3(cx + k, 0, cz + i), at);
          if (ok && have) p.drawLine(last, at);
          last = at, have = ok;
        }
      }
    paintPath(p);
  }
  paintWorld(p);
  if (session_->shot().surfaces.empty() && session_->shot().points->empty()) {
    p.setPen(style::kQuiet);
    p.drawText(rect(), Qt::AlignCenter, tr("The set is empty: load points, or aim a plane."));
  }
}

void SetView::resizeEvent(QResizeEvent*) { render(); }
void SetView::showEvent(QShowEvent*) { render(); }

void SetView::mousePressEvent(QMouseEvent* e) {
  setFocus();
  from_ = clickedAt_ = e->position();
  if (e->button() == Qt::RightButton)
    turning_ = 1;
  else if (e->button() == Qt::MiddleButton || (e->button() == Qt::LeftButton && e->modifiers() & Qt::ControlModifier))
    turning_ = 2;
  else
    worldPress(e);
}

void SetView::mouseMoveEvent(QMouseEvent* e) {
  const QPointF d = e->position() - from_;
  if (turning_ == 1) {
    around_ -= d.x() * 0.008;
    above_ = std::clamp(above_ + d.y() * 0.008, -1.5, 1.5);
  } else if (turning_ == 2) {
    const auto c = camera();
    target_ += (-d.x() * c.rotation.col(0) + d.y() * c.rotation.col(1)) * (distance_ / c.fx);
  } else {
    worldMove(e);
    return;
  }
  from_ = e->position();
  render();
}

void SetView::mouseReleaseEvent(QMouseEvent* e) {
  if (turning_) {
    const bool clicked = turning_ == 1 && QLineF(clickedAt_, e->position()).length() < 4;
    turning_ = 0;
    if (clicked) askMenu(e->position().toPoint());
    render();
    return;
  }
  worldRelease(e);
}

void SetView::wheelEvent(QWheelEvent* e) {
  distance_ = std::clamp(distance_ * std::pow(0.999, e->angleDelta().y()), 0.05, 1e5);
  render();
  e->accept();
}

void SetView::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Escape && cancelDrag()) return;
  QWidget::keyPressEvent(e);
}

}  // namespace zentil::app

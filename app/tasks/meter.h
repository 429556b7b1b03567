#pragma once
#include <QObject>
#include <QTimer>
#include <map>
#include <optional>

#include "app/document/session.h"
#include "core/base/job.h"
#include "core/measure/blend.h"
#include "core/measure/slip.h"

namespace zentil::app {

class Engine;

/// Measures, in the background, how well elements are locked to the plate and how they sit in it; pictures that are
/// waited for come first.
class Meter : public QObject {
  Q_OBJECT
 public:
  Meter(Session* session, Engine* engine);
  ~Meter() override;

  const measure::Slip* slipOf(const QString& elementId) const;
  /// What is wrong with a cg element's render, in words; empty when nothing is, or is not known yet.
  QString warningOf(const QString& elementId) const {
    const auto it = warnings_.find(elementId);
    return it == warnings_.end() ? QString() : it->second;
  }
  bool measuring() const { return measuring_; }
  /// How an element sits in the picture of the session's frame: asked for when it is not known yet, null until then
  /// (changed tells).
  const measure::BlendAt* blendOf(const QString& elementId);
  bool idle() const { return !measuring_ && !blending_ && !timer_.isActive(); }

 signals:
  void changed();

 private:
  void start();

  Session* session_;
  Engine* engine_;
  std::map<QString, measure::Slip> slips_;
  std::map<QString, QString> warnings_;
  std::map<QString, uint64_t> slipKeys_;  ///< what each slip, or warning, was measured of
  /// How one element sits on one frame, and what that was measured of.
  struct Blend {
    QString element;
    uint64_t state = 0;
    std::optional<measure::BlendAt> found;
    bool operator==(const Blend& o) const { return element == o.element && state == o.state; }
  };
  Blend blend_;
  bool blending_ = false;
  QTimer timer_;
  std::shared_ptr<Job> job_;
  bool measuring_ = false;
};

}  // namespace zentil::app

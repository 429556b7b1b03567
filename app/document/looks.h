#pragma once
#include <QThreadPool>
#include <map>
#include <optional>

#include "app/document/session.h"

namespace zentil::app {

/// How the shot's pictures are looked at where that is neither as shot nor without the lens alone: steadied, or flat
/// out of a sphere. Worked out when it is asked for, and kept for as long as what it comes from is the same.
class Looks : public QObject {
  Q_OBJECT
 public:
  explicit Looks(Session* session);
  ~Looks() override;

  /// How the picture is steadied, or null: that is not asked, cannot be, or is being worked out (see problem; found()
  /// tells).
  const steady::Path* path();
  QString problem();
  /// How a frame is looked at as the view asks; null: as shot, or without its lens alone.
  std::shared_ptr<const steady::Look> at(int frame);
  /// Of a sphere's flat view: how it is steered in what is looked at, and its rotation in the world.
  view::Steer steer(int frame);
  Mat3 rotation(int frame);

 signals:
  void found();

 private:
  void workOut();

  /// What a steadied camera is worked out from.
  struct Of {
    std::shared_ptr<const camera::CameraPath> camera;
    lens::Lens lens;
    shot::Steady steady;
    std::vector<set::Spot> spots;
    std::optional<set::MovingSurface> plane;  ///< that is held
    FrameRange range;
    int width = 0, height = 0;
    shot::Projection projection = shot::Projection::Camera;
    bool operator==(const Of&) const = default;
  };

  Session* session_;
  std::optional<Of> of_;
  unsigned comparedAt_ = ~0U;  ///< revision that it was last compared at
  std::optional<steady::Path> path_;
  QString problem_;
  std::map<int, std::shared_ptr<const steady::Look>> kept_;  ///< by frame, as they were last asked for
  std::pair<unsigned, View> keptOf_;
  QThreadPool pool_;
};

}  // namespace zentil::app

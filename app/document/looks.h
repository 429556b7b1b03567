#pragma once
#include <QThreadPool>
#include <map>
#include <optional>

#include "app/document/session.h"

namespace zentil::app {

/// How the shot's pictures are looked at where that is not as shot: straight, steadied, flat out of a sphere, or as
/// they are delivered. Worked out when it is asked for, and kept for as long as what it comes from is the same.
class Looks : public QObject {
  Q_OBJECT
 public:
  explicit Looks(Session* session);
  ~Looks() override;

  /// How the picture is steadied, or null: that is not asked, cannot be, or is being worked out (see problem; found()
  /// tells).
  const steady::Path* path();
  QString problem();
  /// How a frame is looked at as the view asks; null: as shot.
  std::shared_ptr<const view::OutputView> at(int frame);
  /// Of a sphere's flat view: how it is steered in what is looked at, and its rotation in the world.
  view::Steer steer(int frame);
  Mat3 rotation(int frame);

 signals:
  void found();

 private:
  void workOut();
  std::shared_ptr<const view::OutputView> made(int frame);

  Session* session_;
  std::optional<steady::PathInputs> of_;
  unsigned comparedAt_ = ~0U;  ///< revision that it was last compared at
  std::shared_ptr<const steady::Path> path_;
  QString problem_;
  std::map<int, std::shared_ptr<const view::OutputView>> kept_;  ///< by frame, as they were last asked for
  std::pair<unsigned, View> keptOf_;
  QThreadPool pool_;
};

}  // namespace zentil::app

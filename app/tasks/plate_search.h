#pragma once
#include <QObject>
#include <QThreadPool>
#include <QTimer>

#include "app/document/session.h"

namespace zentil::app {

/// Whether the plate's files are where the shot has them, and where they may be instead; looked at in the background,
/// since a disk may be slow to answer.
class PlateSearch : public QObject {
  Q_OBJECT
 public:
  explicit PlateSearch(Session* session, QObject* parent);
  ~PlateSearch() override;
  bool isAway() const { return away_; }
  /// One of its files where they were found; empty: nowhere near.
  const std::string& foundAt() const { return foundAt_; }
  /// The folder that was searched, with all below it.
  const std::filesystem::path& folder() const { return folder_; }

 signals:
  void changed();

 private:
  void look();
  Session* session_;
  QThreadPool pool_;
  QTimer soon_;
  bool away_ = false;
  std::string foundAt_;
  std::filesystem::path folder_;
};

}  // namespace zentil::app

#pragma once
#include "app/stations/ledger.h"
#include "app/widgets/named_rows.h"
#include "app/widgets/sentence.h"

namespace zentil::app {

/// The chosen tracker's pattern, many times enlarged and held still: as it is on its last key, and as it is on this
/// frame. What drifts is seen to move.
class PatternView : public QWidget {
  Q_OBJECT
 public:
  PatternView(Session* session, Engine* engine, QWidget* parent);
  QSize sizeHint() const override { return {270, 132}; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  QImage around(int frame, const Vec2& at, int half, int side) const;
  Session* session_;
  Engine* engine_;
};

/// Trackers placed by hand: the list, the chosen one's sentence, and which way to follow it.
class TrackersPart : public QWidget {
  Q_OBJECT
 public:
  TrackersPart(Session* session, Engine* engine, QPushButton* place, QWidget* parent);
  void refresh();

 private:
  void change(const QString& key, const QString& value, bool goesOn);
  void follow(const QString& where);

  Session* session_;
  Engine* engine_;
  QPushButton* place_;
  NamedRows* rows_;
  QWidget* chosen_;
  SentenceWidget *sentence_, *repair_;
  FrameRange blank_;  ///< frames that are to be blanked
  QPushButton *blankThem_, *showThem_;
  PatternView* view_;
  QList<QPushButton*> ways_;
};

/// Regions: the list, the chosen one's sentence, and which way to follow it.
class RegionsPart : public QWidget {
  Q_OBJECT
 public:
  RegionsPart(Session* session, Engine* engine, QPushButton* draw, QWidget* parent);
  void refresh();
  /// The chosen region's quad, frame by frame.
  void writePins(const QString& file);

 private:
  void change(const QString& key, const QString& value);
  void follow(const QString& where);

  Session* session_;
  Engine* engine_;
  QPushButton* draw_;
  NamedRows* rows_;
  QWidget* chosen_;
  SentenceWidget* sentence_;
  QLabel* fit_;
  QList<QPushButton*> ways_;
};

}  // namespace zentil::app

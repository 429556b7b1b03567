#pragma once
#include <QWidget>

#include "app/document/session.h"

namespace zentil::app {

/// What the choices of handing on do, drawn: the axes with which hand is up where, what a metre becomes, what a frame's
/// number becomes, and where 2D is counted from. A click on a drawing goes to the next choice there is.
class ExportPicture : public QWidget {
  Q_OBJECT
 public:
  ExportPicture(Session* session, QWidget* parent);
  QSize sizeHint() const override { return {300, 104}; }
  QSize minimumSizeHint() const override { return {160, 104}; }

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  bool event(QEvent* e) override;

 private:
  static constexpr int kParts = 4;
  QRectF part(int i) const;
  int partAt(const QPointF& at) const;
  QString wordsOf(int i) const;
  Session* session_;
};

}  // namespace zentil::app

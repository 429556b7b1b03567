#pragma once
#include <QFrame>
#include <QLineEdit>
#include <QTextBrowser>

#include "app/document/session.h"

namespace zentil::app {

/// Help beside the picture: the page of the station that is open, or every paragraph that has the words looked for.
class HelpPanel : public QFrame {
  Q_OBJECT
 public:
  HelpPanel(Session* session, QWidget* parent);
  /// What a station is for, in a paragraph.
  static QString purposeOf(Station station);

 signals:
  void closed();

 protected:
  void keyPressEvent(QKeyEvent* e) override;

 private:
  void refresh();
  void showPage(const QString& name);

  Session* session_;
  QLineEdit* search_;
  QTextBrowser* text_;
};

/// A paragraph about a station for who is there for the first time; it goes away for good when it is told to.
class Hint : public QFrame {
 public:
  Hint(Station station, QWidget* parent);
};

}  // namespace zentil::app

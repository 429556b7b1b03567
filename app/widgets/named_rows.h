#pragma once
#include <QLabel>
#include <QStringList>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/document/session.h"

namespace zentil::app {

/// A short list of named things: a click chooses one, a button takes one away.
class NamedRows : public QWidget {
  Q_OBJECT
 public:
  /// `kind` names the parts: "<kind>Row", "<kind>Remove".
  NamedRows(Session* session, const QString& kind, QWidget* parent);
  struct Row {
    int id = -1;
    QString text;
    bool worry = false;
  };
  void set(const std::vector<Row>& rows, int chosen);

 signals:
  void chosen(int id);
  void removed(int id);

 private:
  Session* session_;
  QString kind_;
  std::vector<int> shown_;
};

}  // namespace zentil::app

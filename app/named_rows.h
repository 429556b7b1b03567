#pragma once
#include <QLabel>
#include <QStringList>
#include <QToolButton>
#include <QVBoxLayout>

namespace zentil::app {

/// A short list of named things: a click chooses one, a button takes one away.
class NamedRows : public QWidget {
  Q_OBJECT
 public:
  /// `kind` names the parts: "<kind>Row", "<kind>Remove".
  NamedRows(const QString& kind, QWidget* parent);
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
  QString kind_;
  std::vector<int> shown_;
};

}  // namespace zentil::app

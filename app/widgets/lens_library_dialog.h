#pragma once
#include <QDialog>
#include <QLineEdit>
#include <QListWidget>

namespace zentil::app {

/// A lens of the system's open database that reaches a focal length, those measured on the nearest sensors first; found
/// by a part of its name.
class LensLibraryDialog : public QDialog {
  Q_OBJECT
 public:
  LensLibraryDialog(double focalMm, double crop, QWidget* parent);
  QString chosen() const;

 private:
  void search();
  double focalMm_, crop_;
  QLineEdit* text_;
  QListWidget* list_;
};

}  // namespace zentil::app

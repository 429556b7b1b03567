#include "app/widgets/lens_library_dialog.h"

#include <QDialogButtonBox>
#include <QPushButton>
#include <QSet>
#include <QVBoxLayout>

#include "core/lens/lens_library.h"

namespace zentil::app {

LensLibraryDialog::LensLibraryDialog(double focalMm, double crop, QWidget* parent)
    : QDialog(parent), focalMm_(focalMm), crop_(crop), text_(new QLineEdit(this)), list_(new QListWidget(this)) {
  setWindowTitle(tr("A lens from the database"));
  setObjectName("lensLibrary");
  resize(520, 420);
  auto* column = new QVBoxLayout(this);
  text_->setPlaceholderText(
      tr("Part of its name; listed are lenses that reach %1 mm, nearest sensor first").arg(focalMm, 0, 'g', 4));
  text_->setObjectName("lensLibraryText");
  list_->setObjectName("lensLibraryList");
  list_->setUniformItemSizes(true);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
  column->addWidget(text_);
  column->addWidget(list_, 1);
  column->addWidget(buttons);
  connect(text_, &QLineEdit::textChanged, this, &LensLibraryDialog::search);
  connect(list_, &QListWidget::itemActivated, this, &QDialog::accept);
  connect(list_, &QListWidget::currentRowChanged, this,
          [=, this] { buttons->button(QDialogButtonBox::Ok)->setEnabled(list_->currentItem() != nullptr); });
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  for (auto* b : buttons->buttons()) b->setIcon({});
  buttons->button(QDialogButtonBox::Ok)->setText(tr("Take it"));
  buttons->button(QDialogButtonBox::Ok)->setEnabled(false);
  search();
}

QString LensLibraryDialog::chosen() const {
  return list_->currentItem() ? list_->currentItem()->data(Qt::UserRole).toString() : QString();
}

void LensLibraryDialog::search() {
  list_->clear();
  QSet<QString> listed;
  for (const auto& l : lens::searchLibrary(text_->text().toStdString(), focalMm_, crop_)) {
    const QString name = QString::fromStdString(l.name);
    if (listed.contains(name)) continue;  // measured on a sensor farther from this one as well
    listed.insert(name);
    auto* item = new QListWidgetItem(tr("%1   crop %2").arg(name).arg(l.crop, 0, 'g', 3), list_);
    item->setData(Qt::UserRole, name);
  }
}

}  // namespace zentil::app

#include "app/widgets/named_rows.h"

#include <QIcon>
#include <QPushButton>

#include "app/document/things.h"

namespace zentil::app {

NamedRows::NamedRows(Session* session, const QString& kind, QWidget* parent)
    : QWidget(parent), session_(session), kind_(kind) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(2);
}

void NamedRows::set(const std::vector<Row>& rows, int chosenId) {
  std::vector<int> ids;
  for (const Row& r : rows) ids.push_back(r.id);
  if (ids != shown_) {
    while (QLayoutItem* item = layout()->takeAt(0)) {
      if (item->widget()) item->widget()->hide(), item->widget()->deleteLater();
      delete item;
    }
    for (const int id : ids) {
      auto* row = new QWidget(this);
      auto* h = new QHBoxLayout(row);
      h->setContentsMargins(0, 0, 0, 0);
      auto* name = new QPushButton(row);
      name->setObjectName(kind_ + "Row");
      name->setCheckable(true);
      name->setProperty("listed", true);
      name->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
      auto* remove = new QToolButton(row);
      remove->setObjectName(kind_ + "Remove");
      remove->setIcon(QIcon(":/icons/remove.svg"));
      remove->setIconSize({12, 12});
      remove->setToolTip(tr("Remove"));
      h->addWidget(name, 1);
      h->addWidget(remove);
      layout()->addWidget(row);
      new ThingHandle(session_, (kind_ + "s." + QString::number(id)).toStdString(), row, name,
                      [this, id] { emit chosen(id); });
      // The mouse is the row's; keys are the button's.
      name->setAttribute(Qt::WA_TransparentForMouseEvents);
      connect(name, &QPushButton::clicked, this, [this, id] { emit chosen(id); });
      connect(remove, &QToolButton::clicked, this, [this, id] { emit removed(id); });
    }
    shown_ = ids;
  }
  for (int i = 0; i < layout()->count(); ++i) {
    const Row& r = rows[static_cast<size_t>(i)];
    auto* name = layout()->itemAt(i)->widget()->findChild<QPushButton*>(kind_ + "Row");
    name->setText(r.text);
    name->setToolTip(r.text);
    name->setChecked(r.id == chosenId || session_->isChosen((kind_ + "s." + QString::number(r.id)).toStdString()));
    name->setProperty("worry", r.worry);
  }
  setVisible(!rows.empty());
}

}  // namespace zentil::app

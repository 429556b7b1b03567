#include "app/widgets/sentence_list.h"

#include <QIcon>
#include <QStyle>
#include <QToolButton>

#include "app/document/things.h"
#include "app/widgets/recipe_page.h"
#include "app/widgets/station_parts.h"

namespace zentil::app {
SentenceList::SentenceList(Session* session, const QString& kind, QWidget* parent, WordChange change)
    : QWidget(parent), session_(session), kind_(kind), change_(std::move(change)), rows_(new QVBoxLayout(this)) {
  rows_->setContentsMargins(0, 0, 0, 0);
  rows_->setSpacing(6);
}

void SentenceList::set(const std::vector<Row>& rows, const std::string& chosenId) {
  std::vector<std::string> ids;
  for (const auto& r : rows) ids.push_back(list_ + "." + r.id);
  if (ids != shown_) {
    while (QLayoutItem* item = rows_->takeAt(0)) {
      if (item->widget()) item->widget()->hide(), item->widget()->deleteLater();
      delete item;
    }
    for (const auto& r : rows) {
      const QString id = QString::fromStdString(r.id);
      auto* row = new QFrame(this);
      row->setObjectName(kind_ + "Row");
      row->setProperty("listRow", true);
      auto* v = new QVBoxLayout(row);
      v->setContentsMargins(8, 4, 4, 5);
      v->setSpacing(2);
      auto* head = new QHBoxLayout;
      auto* title = new QLabel(row);
      title->setObjectName("rowTitle");
      title->setProperty("quiet", true);
      auto* remove = new QToolButton(row);
      remove->setObjectName(kind_ + "Remove");
      remove->setIcon(QIcon(":/icons/remove.svg"));
      remove->setIconSize({11, 11});
      remove->setVisible(r.removable);
      head->addWidget(title, 1);
      head->addWidget(remove);
      v->addLayout(head);
      new ThingHandle(session_, list_ + "." + r.id, row, title, [this, id] { emit chosen(id); });
      auto* words = new SentenceWidget(row, true);
      v->addWidget(words);
      auto* line = new ElidedLabel(row);
      line->setObjectName("rowLine");
      line->setProperty("quiet", true);
      head->insertWidget(1, line, 3);
      rows_->addWidget(row);
      connect(remove, &QToolButton::clicked, this, [this, id] { emit removed(id); });
      bindWords(session_, words, change_);
    }
    shown_ = ids;
  }
  for (int i = 0; i < static_cast<int>(rows.size()); ++i) {
    const auto& r = rows[static_cast<size_t>(i)];
    QWidget* row = rows_->itemAt(i)->widget();
    row->findChild<QLabel*>("rowTitle")->setText(r.title);
    const bool chosen = r.id == chosenId;
    // A long list is one of lines; the chosen one alone has all of its words.
    constexpr size_t kShort = 2;
    const bool open = chosen || rows.size() <= kShort || !foldable_;
    auto* words = row->findChild<SentenceWidget*>();
    auto* line = row->findChild<ElidedLabel*>("rowLine");
    words->setVisible(open), line->setVisible(!open);
    row->findChild<QLabel*>("rowTitle")->setVisible(open || !r.title.isEmpty());
    words->set(r.sentence);
    line->setText(QString::fromStdString(wording::textOf(r.sentence)));
    line->setToolTip(line->text());
    if (row->property("chosen").toBool() != chosen) {
      row->setProperty("chosen", chosen);
      row->style()->unpolish(row);
      row->style()->polish(row);
    }
  }
}

}  // namespace zentil::app

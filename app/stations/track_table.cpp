#include "app/stations/track_table.h"

#include <QHeaderView>
#include <QKeyEvent>

namespace zentil::app {

namespace {

QString wordFor(solve::Verdict v, bool on) {
  if (!on) return QObject::tr("left out");
  switch (v) {
    case solve::Verdict::Used:
      return QObject::tr("fits");
    case solve::Verdict::Slides:
      return QObject::tr("slides");
    case solve::Verdict::Moves:
      return QObject::tr("moves");
    case solve::Verdict::Unplaced:
      return QObject::tr("no place");
  }
  return {};
}

/// Sorted as a number, shown as one with so many places.
QTableWidgetItem* numberItem(double value, int places) {
  class Item : public QTableWidgetItem {
   public:
    bool operator<(const QTableWidgetItem& o) const override {
      return data(Qt::UserRole).toDouble() < o.data(Qt::UserRole).toDouble();
    }
  };
  auto* item = new Item;
  item->setText(QString::number(value, 'f', places));
  item->setData(Qt::UserRole, value);
  item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
  return item;
}

}  // namespace

TrackTable::TrackTable(Session* session, QWidget* parent) : QTableWidget(0, 5, parent), session_(session) {
  setObjectName("trackTable");
  setAccessibleName(tr("Tracks and their errors"));
  setHorizontalHeaderLabels({tr("track"), tr("mean"), tr("worst"), tr("frames"), tr("")});
  const QString tips[] = {
      tr("Its number"), tr("Mean distance from its point, pixels"), tr("Largest distance from its point, pixels"),
      tr("Frames that it is followed on"),
      tr("Slides: its pattern covers two depths, an edge or a glint. Moves: it is on something that moves")};
  for (int c = 0; c < 5; ++c) horizontalHeaderItem(c)->setToolTip(tips[c]);
  verticalHeader()->hide();
  verticalHeader()->setDefaultSectionSize(20);
  horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
  horizontalHeader()->setHighlightSections(false);
  setEditTriggers(QAbstractItemView::NoEditTriggers);
  setSelectionBehavior(QAbstractItemView::SelectRows);
  setShowGrid(false);
  setMinimumHeight(150);
  setSortingEnabled(true);
  sortByColumn(1, Qt::DescendingOrder);
  setToolTip(tr("Delete switches the selected tracks off or on"));
  connect(this, &QTableWidget::itemSelectionChanged, this, [this] {
    const auto rows = selectionModel()->selectedRows();
    session_->chooseTracker(rows.isEmpty() ? -1 : item(rows.first().row(), 0)->data(Qt::UserRole).toInt());
  });
}

void TrackTable::refresh() {
  const auto& s = session_->shot();
  setVisible(s.solved != nullptr);
  // Filled anew only when the solve or the tracks are others: it is long.
  if (!s.solved || (shown_ == s.solved && tracks_ == s.tracks)) return;
  shown_ = s.solved, tracks_ = s.tracks;
  std::map<int, bool> on;
  for (const auto& t : *s.tracks) on[t.id] = t.on;
  const QSignalBlocker quiet(this);
  setSortingEnabled(false);
  setRowCount(static_cast<int>(s.solved->tracks.size()));
  int row = 0;
  for (const auto& e : s.solved->tracks) {
    const auto it = on.find(e.id);
    setItem(row, 0, numberItem(e.id, 0));
    setItem(row, 1, numberItem(e.meanPx, 2));
    setItem(row, 2, numberItem(e.worstPx, 2));
    setItem(row, 3, numberItem(e.length, 0));
    setItem(row, 4, new QTableWidgetItem(wordFor(e.verdict, it == on.end() || it->second)));
    ++row;
  }
  setSortingEnabled(true);
}

void TrackTable::keyPressEvent(QKeyEvent* e) {
  if (e->key() != Qt::Key_Delete && e->key() != Qt::Key_Backspace) {
    QTableWidget::keyPressEvent(e);
    return;
  }
  std::set<int> ids;
  for (const auto& r : selectionModel()->selectedRows()) ids.insert(item(r.row(), 0)->data(Qt::UserRole).toInt());
  if (ids.empty()) return;
  session_->change(tr("switch tracks off or on"), [&](shot::Shot& s) {
    auto tracks = std::make_shared<track::Tracks>(*s.tracks);
    for (auto& t : *tracks)
      if (ids.count(t.id)) t.on = !t.on;
    s.tracks = tracks;
  });
}

}  // namespace zentil::app

// The elements' bars on the strip: where each shows, chosen by a click, dragged by their ends.
#include <QPainter>
#include <set>

#include "app/strip/strip.h"
#include "app/widgets/style.h"
#include "core/edit/set_word.h"
#include "core/wording/recipe.h"

namespace zentil::app {

int Strip::rows() const { return std::max(1, (height() - kElements - 4) / kBar); }

double Strip::yOfBar(int element) const {
  const int row = element - scrolled_;
  return row < 0 || row >= rows() ? -1 : kElements + 2 + row * kBar;
}

void Strip::showBar(const QString& element) {
  if (element == shownFor_) return;
  shownFor_ = element;
  const auto& all = session_->shot().elements;
  for (int i = 0; i < static_cast<int>(all.size()); ++i)
    if (QString::fromStdString(all[static_cast<size_t>(i)].id) == element)
      scrolled_ = std::clamp(scrolled_, std::max(0, i - rows() + 1), i);
}

void Strip::paintBars(QPainter& p) {
  const auto& shot = session_->shot();
  const auto r = shot.range;
  const int count = static_cast<int>(shot.elements.size());
  scrolled_ = std::clamp(scrolled_, 0, std::max(0, count - rows()));
  if (count > rows()) {
    p.setPen(style::kQuiet);
    label(p, QRectF(14, kElements + 12, kLeft - 20, 13), Qt::AlignLeft | Qt::AlignVCenter,
          tr("%1\u2013%2 / %3").arg(scrolled_ + 1).arg(scrolled_ + rows()).arg(count));
  }
  // Ranges, and source frames as pins; many on one frame are one.
  std::set<int> pinned;
  for (int i = 0; i < count; ++i) {
    const auto& e = shot.elements[static_cast<size_t>(i)];
    auto range = e.range.count() ? e.range : r;
    const bool chosen = QString::fromStdString(e.id) == session_->element();
    const double y = yOfBar(i);
    if (y >= 0) {
      // Its frames as a line; where its source has something to show, a bar.
      p.fillRect(QRectF(xOf(range.first) - 2, y + 1.5, xOf(range.last) - xOf(range.first) + 4, 1), style::kLine);
      while (range.count() && !e.showsSomething(range.first)) ++range.first;
      while (range.count() && !e.showsSomething(range.last)) --range.last;
    }
    if (y >= 0 && range.count())
      p.fillRect(QRectF(xOf(range.first) - 2, y, xOf(range.last) - xOf(range.first) + 4, 4),
                 !e.on    ? style::kLine
                 : chosen ? style::kAccent
                          : QColor(0x7d, 0x83, 0x88));
    if (const auto pin = wording::pinOf(e); pin && r.contains(*pin) && (pinned.insert(*pin).second || chosen)) {
      const double x = xOf(*pin);
      p.setBrush(chosen ? style::kPin : QColor(0xb7, 0x9b, 0xe8, 110));
      p.setPen(Qt::NoPen);
      p.drawPolygon(QPolygonF({{x - 5, kReadyY - 10.0}, {x + 5, kReadyY - 10.0}, {x, kReadyY - 1.0}}));
    }
  }
}

std::optional<Strip::Bar> Strip::barAt(const QPointF& at) const {
  const auto& all = session_->shot().elements;
  for (int i = 0; i < static_cast<int>(all.size()); ++i) {
    const double y = yOfBar(i);
    if (y < 0 || at.y() < y - 2 || at.y() >= y + kBar - 2) continue;
    const auto& e = all[static_cast<size_t>(i)];
    const auto range = e.range.count() ? e.range : session_->shot().range;
    const double first = xOf(range.first) - 2, last = xOf(range.last) + 2;
    if (at.x() < first - 5 || at.x() > last + 5) return std::nullopt;
    return Bar{e.id, std::abs(at.x() - first) < 6 ? -1 : std::abs(at.x() - last) < 6 ? 1 : 0};
  }
  return std::nullopt;
}

void Strip::setBarEnd(const Bar& bar, int frame, bool goesOn) {
  const std::string path = "elements." + bar.id + ".range." + (bar.end < 0 ? "first" : "last");
  const auto* e = session_->shot().element(bar.id);
  if (!e) return;
  const auto range = e->range.count() ? e->range : session_->shot().range;
  const int to = bar.end < 0 ? std::min(frame, range.last) : std::max(frame, range.first);
  session_->change(
      tr("frames of %1").arg(QString::fromStdString(e->name)),
      [&](shot::Shot& s) { edit::setWord(s, path, std::to_string(to), to); },
      goesOn ? "bar " + QString::fromStdString(path) : QString());
}

}  // namespace zentil::app

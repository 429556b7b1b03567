#pragma once
#include <atomic>
#include <string>
#include <vector>

#include "core/shot/shot.h"

namespace zentil::shot {

/// The values a shot has had. Undo is the previous value: an edit hands over a whole new shot with the words for what
/// was done. Edits with the same non-empty `series` that follow each other are one step, so that a drag or a turn of
/// the wheel is undone at once.
class History {
 public:
  explicit History(Shot first = {}) : steps_{{"", "", std::move(first)}} {}

  const Shot& shot() const { return steps_[at_].shot; }
  void edit(Shot next, const std::string& what, const std::string& series = {}) {
    if (next == shot()) return;
    const bool goesOn = !series.empty() && at_ > 0 && at_ + 1 == steps_.size() && steps_[at_].series == series;
    steps_.resize(at_ + 1);
    if (goesOn)
      steps_[at_].shot = std::move(next);
    else {
      steps_.push_back({what, series, std::move(next)});
      if (steps_.size() > kMost) steps_.erase(steps_.begin());
      at_ = steps_.size() - 1;
    }
    revision_ = nextRevision();
  }
  /// Ends a series: the next edit is a step of its own whatever it is called.
  void endSeries() { steps_[at_].series.clear(); }

  bool canUndo() const { return at_ > 0; }
  bool canRedo() const { return at_ + 1 < steps_.size(); }
  std::string undoWords() const { return canUndo() ? steps_[at_].what : ""; }
  std::string redoWords() const { return canRedo() ? steps_[at_ + 1].what : ""; }
  void undo() {
    if (canUndo()) --at_, revision_ = nextRevision(), endSeries();
  }
  void redo() {
    if (canRedo()) ++at_, revision_ = nextRevision(), endSeries();
  }
  /// Changes with every edit, undo and redo; no two histories share one.
  unsigned revision() const { return revision_; }

 private:
  static constexpr size_t kMost = 500;
  struct Step {
    std::string what, series;
    Shot shot;
  };
  std::vector<Step> steps_;
  size_t at_ = 0;
  static unsigned nextRevision() {
    static std::atomic<unsigned> last = 0;
    return ++last;
  }
  unsigned revision_ = nextRevision();
};

}  // namespace zentil::shot

#include "core/track/follow.h"

#include <cmath>
#include <optional>

#include "core/base/error.h"
#include "core/base/median.h"
#include "core/base/parallel.h"
#include "core/track/pattern.h"
#include "core/track/pyramid.h"

namespace zentil::track {

using image::Picture;

namespace {

constexpr double kAlike = 0.85;              ///< least correlation with the first appearance
constexpr double kOff = 1.5;                 ///< farthest that registering may move what the step says, pixels
constexpr size_t kKept = size_t{512} << 20;  ///< bytes of frames that are kept for the way back

/// Frames as trackers see them; the last ones are kept for the way back.
class Frames {
 public:
  explicit Frames(const FrameSource& source) : source_(source) {}
  std::shared_ptr<const Pyramid> at(int frame) {
    if (const auto it = kept_.find(frame); it != kept_.end()) return it->second;
    const auto picture = source_(frame);
    if (!picture) return nullptr;
    auto seen = std::make_shared<const Pyramid>(picture);
    kept_[frame] = seen;
    bytes_ += seen->bytes();
    // Those farthest from here go first.
    while (bytes_ > kKept && kept_.size() > 2) {
      const auto far =
          frame - kept_.begin()->first > kept_.rbegin()->first - frame ? kept_.begin() : std::prev(kept_.end());
      bytes_ -= far->second->bytes();
      kept_.erase(far);
    }
    return seen;
  }

 private:
  const FrameSource& source_;
  std::map<int, std::shared_ptr<const Pyramid>> kept_;
  size_t bytes_ = 0;
};

/// Frames that something which met the matte is waited for, and how many are at a time.
constexpr int kWaits = 80;
constexpr size_t kWaiting = 400;
constexpr double kSame = 0.9;  ///< least correlation at which it is the same again
constexpr double kAbout = 6;   ///< and farthest from where it should be, pixels

/// What is followed, with what it looks like.
struct Live {
  Track track;
  std::unique_ptr<Pattern> pattern;
  Pattern::Pose pose;
  Vec2 moved = Vec2::Zero();  ///< since the frame before
  bool lost = false;
  int waited = 0;  ///< frames since it met the matte
};

/// One step of all that is alive, from one frame to the next; those that are lost say so.
void step(const Pyramid& from, const Pyramid& to, std::vector<Live*>& live, int half) {
  std::vector<Vec2> at;
  at.reserve(live.size());
  for (const Live* l : live) at.push_back(l->pose.at);
  const auto guesses = stepped(from, to, at);
  const double rim = half * 0.6;
  const auto inside = [&](const Vec2& p) {
    return p.x() > rim && p.y() > rim && p.x() < to.width() - rim && p.y() < to.height() - rim;
  };
  parallelRanges(0, static_cast<int>(live.size()), 8, [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const auto k = static_cast<size_t>(i);
      Live& l = *live[k];
      l.lost = true;
      if (!guesses[k] || !inside(*guesses[k])) continue;
      Pattern::Pose pose{*guesses[k], l.pose.shape};
      const auto answer = l.pattern->find(to.grey(), pose);
      if (!answer.found || answer.correlation < kAlike || (pose.at - *guesses[k]).norm() > kOff || !inside(pose.at))
        continue;
      l.moved = pose.at - l.pose.at;
      l.pose = pose;
      l.lost = false;
    }
  });
}

/// How what is followed about a place moved; none where too little is.
std::optional<Vec2> movedAbout(const std::vector<Live*>& live, const Vec2& at) {
  constexpr size_t kNear = 8;
  std::vector<std::pair<double, const Live*>> near;
  near.reserve(live.size());
  for (const Live* l : live) near.emplace_back((l->pose.at - at).squaredNorm(), l);
  if (near.size() < kNear) return std::nullopt;
  std::nth_element(near.begin(), near.begin() + kNear - 1, near.end());
  std::vector<double> x, y;
  for (size_t k = 0; k < kNear; ++k) x.push_back(near[k].second->moved.x()), y.push_back(near[k].second->moved.y());
  return Vec2(medianOf(x), medianOf(y));
}

/// All that is followed through a range.
class Following {
 public:
  Following(const FrameSource& frames, const FrameRange& range, const TrackSettings& q, const Job& job,
            const AllowedSource& allowed)
      : frames_(frames), range_(range), q_(q), job_(job), allowed_(allowed) {}

  /// From the first frame to the last, with new ones where the frame runs empty.
  void forwards() {
    std::shared_ptr<const Pyramid> before;
    for (int f = range_.first; f <= range_.last && !job_.stopped(); ++f) {
      report(f);
      const auto now = frames_.at(f);
      if (!now) continue;
      const auto matte = allowed_ ? allowed_(f) : nullptr;
      advance(before.get(), *now, matte.get(), [f](Track& t, const Vec2& at) { t.set(f, at); });
      const int wanted = q_.count, there = static_cast<int>(live_.size());
      const bool due = !before || (f - range_.first) % 4 == 0 || there < wanted * 7 / 10;
      if (due && f < range_.last && there < wanted * 95 / 100) begin(f, *now, matte.get());
      before = now;
    }
  }

  /// From the last frame to the first, each from where it first appeared.
  void backwards() {
    live_.clear();
    waiting_.clear();
    std::shared_ptr<const Pyramid> before;
    for (int f = range_.last; f >= range_.first && !job_.stopped(); --f) {
      report(f);
      const bool needed = !live_.empty() || std::any_of(all_.begin(), all_.end(), [&](const auto& l) {
        return l->track.first == f && f > range_.first;
      });
      if (!needed) {
        before.reset();
        continue;
      }
      const auto now = frames_.at(f);
      if (!now) continue;
      const auto matte = allowed_ ? allowed_(f) : nullptr;
      advance(before.get(), *now, matte.get(), [f](Track& t, const Vec2& at) { t.set(f, at); });
      for (const auto& l : all_)
        if (l->track.first == f && std::find(live_.begin(), live_.end(), l.get()) == live_.end()) {
          l->pose = {l->track.at.front(), Mat2::Identity()};
          l->pattern = std::make_unique<Pattern>(now->grey(), l->pose.at, q_.half);
          live_.push_back(l.get());
        }
      before = now;
    }
  }

  bool nothing() const { return all_.empty(); }
  Tracks take() {
    Tracks out;
    for (const auto& l : all_)
      if (l->track.length() >= q_.least) out.push_back(std::move(l->track));
    return out;
  }

 private:
  void report(int f) {
    job_.report(static_cast<double>(steps_++) / (2 * range_.count()),
                fmt::format("frame {}, {} features", f, live_.size()));
  }

  template <typename Note>
  void advance(const Pyramid* before, const Pyramid& now, const Picture* matte, const Note& note) {
    if (!before || before->width() != now.width() || before->height() != now.height()) {
      live_.clear();
      waiting_.clear();
      return;
    }
    step(*before, now, live_, q_.half);
    std::vector<Live*> met, behind;
    for (Live* l : live_) {
      const bool meets = !allows(matte, l->pose.at);
      if (!l->lost && !meets) note(l->track, l->pose.at);
      if (!l->lost && meets)
        met.push_back(l);
      else if (l->lost && touches(matte, l->pose.at))
        behind.push_back(l);  // what the matte is about covered a part of it already
      else if (l->lost)
        l->pattern.reset();  // what is not followed any longer keeps none: they would be many, in a long range
      l->lost |= meets;
    }
    std::erase_if(live_, [](const Live* l) { return l->lost; });
    for (Live* l : behind)
      if (const auto moved = movedAbout(live_, l->pose.at)) l->pose.at += *moved, met.push_back(l);
    await(now, matte, note);
    for (Live* l : met) {
      l->waited = 0;
      if (waiting_.size() < kWaiting)
        waiting_.push_back(l);
      else
        l->pattern.reset();
    }
  }

  /// Whether a part of a pattern's window lies under the matte.
  bool touches(const Picture* matte, const Vec2& at) const {
    const double h = q_.half;
    for (const double v : {-h, 0.0, h})
      for (const double u : {-h, 0.0, h})
        if (!allows(matte, at + Vec2(u, v))) return true;
    return false;
  }

  static bool allows(const Picture* matte, const Vec2& at) {
    const int x = static_cast<int>(at.x()), y = static_cast<int>(at.y());
    return !matte || (matte->data.contains(x, y) && *matte->pixel(x, y) >= 0.5f);
  }

  /// What met the matte goes along with what is about it; where it comes out and looks the same, it is the same track.
  template <typename Note>
  void await(const Pyramid& now, const Picture* matte, const Note& note) {
    for (Live* l : waiting_) {
      const auto moved = movedAbout(live_, l->pose.at);
      l->lost = !moved || ++l->waited > kWaits;
      if (moved) l->pose.at += *moved, l->moved = *moved;
      const double h = q_.half;
      const Vec2 at = l->pose.at;
      l->lost |= at.x() < h || at.y() < h || at.x() > now.width() - h || at.y() > now.height() - h;
    }
    for (Live* l : waiting_)
      if (l->lost) l->pattern.reset();
    std::erase_if(waiting_, [](const Live* l) { return l->lost; });
    std::vector<std::optional<Pattern::Pose>> found(waiting_.size());
    parallelRanges(0, static_cast<int>(waiting_.size()), 4, [&](int first, int last) {
      for (int i = first; i < last; ++i) {
        const auto k = static_cast<size_t>(i);
        const Vec2 at = waiting_[k]->pose.at;
        if (!touches(matte, at)) found[k] = waiting_[k]->pattern->again(now.grey(), waiting_[k]->pose, kAbout, kSame);
      }
    });
    for (size_t k = 0; k < found.size(); ++k) {
      if (!found[k] || !allows(matte, found[k]->at)) continue;
      Live* l = waiting_[k];
      l->pose = *found[k];
      note(l->track, l->pose.at);
      live_.push_back(l);
      waiting_[k] = nullptr;
    }
    std::erase(waiting_, nullptr);
  }

  void begin(int f, const Pyramid& now, const Picture* matte) {
    std::vector<Vec2> taken;
    for (const Live* l : live_) taken.push_back(l->pose.at);
    for (const Live* l : waiting_) taken.push_back(l->pose.at);
    for (const Vec2& at : featuresOf(now.picture(), q_, taken, matte)) {
      auto l = std::make_unique<Live>();
      l->pattern = std::make_unique<Pattern>(now.grey(), at, q_.half);
      if (!l->pattern->holds()) continue;
      l->track.id = static_cast<int>(all_.size()) + 1;
      l->track.first = f;
      l->track.at = {at};
      l->pose.at = at;
      live_.push_back(l.get());
      all_.push_back(std::move(l));
    }
  }

  Frames frames_;
  FrameRange range_;
  const TrackSettings& q_;
  const Job& job_;
  const AllowedSource& allowed_;
  std::vector<std::unique_ptr<Live>> all_;
  std::vector<Live*> live_;
  std::vector<Live*> waiting_;  ///< they met the matte
  int steps_ = 0;
};

}  // namespace

Picture brightnessOf(const Picture& p) {
  Picture out = Picture::unset(p.display, p.display, 1);
  parallelRanges(p.display.y0, p.display.y1, 32, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = p.display.x0; x < p.display.x1; ++x) {
        const float* v = p.data.contains(x, y) ? p.pixel(x, y) : nullptr;
        const float b = !v ? 0 : p.channels >= 3 ? image::brightness(v) : std::sqrt(std::max(0.0f, v[0]));
        *out.pixel(x, y) = b < 1e3f ? b : 0;  // what is not a number is no brightness
      }
  });
  return out;
}

std::shared_ptr<const Picture> frameNeeded(const FrameSource& frames, int frame) {
  auto out = frames(frame);
  if (!out)
    throw Error(fmt::format("frame {} cannot be read, and it is followed from there", frame),
                "Restore its file, or start on another frame");
  return out;
}

Tracks follow(const FrameSource& frames, const FrameRange& range, const TrackSettings& q, const Job& job,
              const AllowedSource& allowed) {
  if (range.count() < 2) throw Error("one frame alone cannot be tracked", "Widen the range at Plate");
  Following following(frames, range, q, job, allowed);
  following.forwards();
  const auto first = following.nothing() ? frames(range.first) : nullptr;
  if (first && !job.stopped() && allowed && !featuresOf(*first, q).empty())
    throw Error("the tracking matte leaves nothing to follow", "Choose another at Track, or track everywhere");
  if (following.nothing() && !job.stopped())
    throw Error("nothing in these frames can be followed: there is no texture",
                "Ask for weaker features, or check the frames and the matte");
  following.backwards();
  return following.take();
}

}  // namespace zentil::track

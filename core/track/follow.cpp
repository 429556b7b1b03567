#include "core/track/follow.h"

#include <cmath>

#include "core/base/error.h"
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

/// What is followed, with what it looks like.
struct Live {
  Track track;
  std::unique_ptr<Pattern> pattern;
  Pattern::Pose pose;
  bool lost = false;
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
      l.pose = pose;
      l.lost = false;
    }
  });
}

/// All that is followed through a range.
class Following {
 public:
  Following(const FrameSource& frames, const FrameRange& range, const FollowQuestion& q, const Job& job,
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
      return;
    }
    step(*before, now, live_, q_.half);
    for (Live* l : live_) {
      const int x = static_cast<int>(l->pose.at.x()), y = static_cast<int>(l->pose.at.y());
      l->lost |= matte && (!matte->data.contains(x, y) || *matte->pixel(x, y) < 0.5f);
      if (!l->lost) note(l->track, l->pose.at);
      // What is not followed any longer keeps no pattern: it would be many, in a long range.
      if (l->lost) l->pattern.reset();
    }
    std::erase_if(live_, [](const Live* l) { return l->lost; });
  }

  void begin(int f, const Pyramid& now, const Picture* matte) {
    std::vector<Vec2> taken;
    for (const Live* l : live_) taken.push_back(l->pose.at);
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
  const FollowQuestion& q_;
  const Job& job_;
  const AllowedSource& allowed_;
  std::vector<std::unique_ptr<Live>> all_;
  std::vector<Live*> live_;
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

Tracks follow(const FrameSource& frames, const FrameRange& range, const FollowQuestion& q, const Job& job,
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

#include "core/track/manual_tracker.h"

#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/matrices.h"
#include "core/base/median.h"
#include "core/track/companions.h"
#include "core/track/pyramid.h"
#include "core/track/wider.h"

namespace zentil::track {

namespace {

/// What was chosen by hand counts nearly all over: that halves the grain's part in its place.
constexpr double kSpread = 0.9;
/// A step's change of its shape (standard deviation of its four numbers).
constexpr double kBend = 0.02;

constexpr double kAlikeStep = 0.7;  ///< least correlation with the pattern, step by step
constexpr double kAgain = 0.9;      ///< and when it is found again after it was lost

constexpr double kSecond = 0.9;  ///< most that the second best place may be alike, over the best

/// Frames that it has to hold on after it was found again.
constexpr size_t kProven = 3;
/// Frames that may have been touched before that is told.
constexpr int kOnItsWay = 6;

const Vec2 kLost = Vec2::Constant(std::numeric_limits<double>::quiet_NaN());

/// The best place of a pattern about a guess, to the pixel; none where the box lies outside.
std::optional<Vec2> searched(const Pyramid& from, const Vec2& was, const Pyramid& to, const Vec2& guess,
                             const ManualTracker& hand) {
  const auto mat = [](const Pyramid& s) {
    return cv::Mat(s.height(), s.width(), CV_32F, const_cast<float*>(s.picture().values.data()));
  };
  const auto box = [](const Vec2& at, int half, const Pyramid& s) {
    return cv::Rect(static_cast<int>(at.x()) - half, static_cast<int>(at.y()) - half, 2 * half + 1, 2 * half + 1) &
           cv::Rect(0, 0, s.width(), s.height());
  };
  const cv::Rect pattern = box(was, hand.half, from), area = box(guess, hand.half + hand.search, to);
  if (pattern.width < hand.half || pattern.height < hand.half || area.width <= pattern.width ||
      area.height <= pattern.height)
    return std::nullopt;
  cv::Mat correlation;
  cv::matchTemplate(mat(to)(area), mat(from)(pattern), correlation, cv::TM_CCOEFF_NORMED);
  cv::Point best;
  double most = 0, next = 0;
  cv::minMaxLoc(correlation, nullptr, &most, nullptr, &best);
  // Planks look like planks: where another place is nearly as much alike, neither is believed.
  correlation(cv::Rect(best.x - 4, best.y - 4, 9, 9) & cv::Rect(0, 0, correlation.cols, correlation.rows)) = -1;
  cv::minMaxLoc(correlation, nullptr, &next);
  if (most < kAlikeStep || next > kSecond * most) return std::nullopt;
  return Vec2(area.x + best.x, area.y + best.y) + was - Vec2(pattern.x, pattern.y);
}

/// What holds whatever was found: single frames put right, and those without a place.
void settle(Track& t) {
  if (!t.hand) return;
  for (const auto& [f, p] : t.hand->fixed)
    if (!t.hand->keys.count(f)) t.set(f, p);
  for (int f = t.first; f <= t.last(); ++f)
    if (t.hand->isBlank(f) && !t.hand->keys.count(f)) t.set(f, kLost);
}

/// Bends a way evenly: nothing at one frame, all of it at the other.
void bend(Track& t, int still, int moved, const Vec2& by) {
  if (still == moved) return;
  const int step = moved > still ? 1 : -1;
  for (int f = still + step; f != moved; f += step)
    if (t.has(f)) t.set(f, t.where(f) + by * std::abs(f - still) / std::abs(moved - still));
}

}  // namespace

Track followHand(const FrameSource& source, const Track& track, int from, int to, const Job& job,
                 const Expected& expected) {
  if (!track.hand || track.hand->keys.empty()) throw Error("a tracker without a key cannot be followed", "Place it");
  if (!track.has(from))
    throw Error(fmt::format("the tracker has no place on frame {}", from), "Place it there, or go where it has one");
  const ManualTracker& hand = *track.hand;
  const int step = to >= from ? 1 : -1;
  Track out = track;
  // The pattern is that of the last key on the way here.
  int key = hand.keys.begin()->first;
  for (const auto& [f, p] : hand.keys)
    if ((from - f) * step >= 0 && std::abs(from - f) <= std::abs(from - key)) key = f;
  auto reference = std::make_shared<const Pyramid>(frameNeeded(source, key));
  const auto isKey = [&](int f) { return hand.keys.count(f) != 0; };
  if (isKey(from)) key = from;
  // Where the way is held at its beginning: at the key, or, when all keys lie ahead, where it starts.
  int anchor = (from - key) * step >= 0 ? key : from;
  auto before = from == key ? reference : std::make_shared<const Pyramid>(frameNeeded(source, from));
  auto pattern =
      std::make_unique<Pattern>((key == from ? *before : *reference).grey(), hand.keys.at(key), hand.half, kSpread);
  if (!pattern->holds())
    throw Error("the pattern has no texture that holds a place", "Make it larger, or place it on a corner");
  Wider wider((key == from ? *before : *reference).grey(), hand.keys.at(key), hand.half, kSpread);
  Pattern::Pose pose{out.where(from), Mat2::Identity()};
  Vec2 speed = Vec2::Zero();
  std::set<int> weak = hand.weak;
  int lost = 0;
  std::vector<int> again;  // frames since it was found again,
  bool proving = false;    // as long as they are few
  OcclusionTest likeness;
  SupportTracks companions(hand.half);
  std::vector<std::pair<int, Pattern::SubBlocks>> recent;  // frames since the key, and how unlike their parts were
  const int total = std::abs(to - from);
  for (int f = from + step; total > 0 && !job.stopped(); f += step) {
    job.report(static_cast<double>(std::abs(f - from)) / total, fmt::format("frame {}", f));
    const auto picture = source(f);
    if (!picture) {
      // It has no place there but one that was given, and is looked for behind it.
      out.set(f, isKey(f) ? hand.keys.at(f) : kLost), weak.erase(f);
      if (f == to) break;
      continue;
    }
    const auto now = std::make_shared<const Pyramid>(picture);
    const bool same = now->width() == before->width() && now->height() == before->height();
    const auto inside = [&](const Vec2& p, double rim = 0) {
      return p.x() > rim && p.y() > rim && p.x() < now->width() - rim && p.y() < now->height() - rim;
    };
    bool found = false, known = true;
    // While it is not seen it goes where what is about it goes.
    const Vec2 was = pose.at;
    const auto along = same ? companions.moved(*before, *now, was) : std::nullopt;
    const auto due = expected && lost > 0 && lost <= kPatience ? expected(out, f) : std::nullopt;
    if (lost > 0 && lost <= kPatience) pose.at = due.value_or(along.value_or(was));
    // Gone over the rim, it is not looked for again.
    if (lost == 1 && !inside(pose.at, 0.5 * hand.half)) lost = kPatience + 1;
    const bool blank = hand.isBlank(f);
    if (same && lost <= kPatience && !blank) {
      const auto take = [&](Pattern::Pose p, const Mat2& spread) {
        const auto unlike = pattern->misfit(now->grey(), p);
        if (!inside(p.at) || likeness.covered(unlike)) return false;
        const double sigma = std::sqrt(axesOf(wider.help(now->grey(), p, spread, kBend)).values[1]);
        // Three standard errors.
        known = hand.within <= 0 || 3 * sigma <= hand.within;
        speed = lost ? Vec2(0, 0) : Vec2(p.at - pose.at);
        pose = p;
        likeness.accept(unlike), recent.emplace_back(f, unlike);
        return true;
      };
      for (const bool near : {true, false}) {
        const auto guess = near   ? lost ? std::optional(pose.at) : stepped(*before, *now, {pose.at})[0]
                             : lost ? searched(*reference, hand.keys.at(key), *now, pose.at, hand)
                                  : searched(*before, pose.at, *now, pose.at + speed, hand);
        if (!guess) continue;
        Pattern::Pose p{*guess, pose.shape};
        const auto answer = pattern->find(now->grey(), p, kBend);
        if (!answer.found || answer.correlation < (lost ? kAgain : kAlikeStep)) continue;
        // What is found again lies where what is about it went: elsewhere something else looks alike.
        if (lost && (p.at - pose.at).norm() > (due ? 0.5 : 1.0) * hand.half) continue;
        found = take(p, answer.spread);
        if (found) break;
      }
    }
    if (!found && lost == 0 && !blank) {
      // It came in from the side: frames just before, of which a part was on its way already, go with it.
      for (int k = 0; k < kOnItsWay && !recent.empty() && likeness.covered(recent.back().second, 0.5); ++k) {
        out.set(recent.back().first, kLost);
        recent.pop_back();
      }
    }
    if (!found && lost == 0) pose.at = along.value_or(was);
    if (same) companions.judge(*now, was, pose.at, found);
    out.set(f, found && known ? pose.at : kLost);
    if (found && !known)
      weak.insert(f);
    else
      weak.erase(f);
    // What was found again and is lost at once was something else.
    if (found && lost > 0) again.clear(), proving = true;
    if (found && proving) again.push_back(f);
    if (proving && again.size() >= kProven) proving = false;
    if (!found && proving) {
      for (const int a : again) out.set(a, kLost);
      proving = false;
    }
    lost = found ? 0 : lost + 1;
    if (isKey(f)) {
      // What it is off by here has come about evenly since the key before.
      const Vec2 at = hand.keys.at(f);
      if (found && !hand.jumps.count(f)) bend(out, anchor, f, at - pose.at);
      out.set(f, at), weak.erase(f);
      key = anchor = f, lost = 0;
      pose = {at, Mat2::Identity()};
      auto next = std::make_unique<Pattern>(now->grey(), at, hand.half, kSpread);
      if (next->holds()) pattern = std::move(next), wider = Wider(now->grey(), at, hand.half, kSpread), reference = now;
      likeness.begin(), recent.clear();
      proving = false;
    }
    before = now;
    if (f == to) break;
  }
  if (proving)
    for (const int a : again)
      if (!isKey(a)) out.set(a, kLost);
  if (weak != hand.weak) {
    auto told = std::make_shared<ManualTracker>(hand);
    told->weak = weak;
    out.hand = told;
  }
  settle(out);
  return out;
}

Track keyed(const Track& track, int frame, const Vec2& place, Correction what) {
  Track out = track;
  ManualTracker hand = track.hand ? *track.hand : ManualTracker{};
  hand.weak.erase(frame);
  if (what == Correction::Here) {
    if (const auto it = hand.keys.find(frame); it != hand.keys.end())
      it->second = place;
    else
      hand.fixed[frame] = place;
    out.set(frame, place);
    out.hand = std::make_shared<ManualTracker>(hand);
    return out;
  }
  hand.fixed.erase(frame);
  if (what == Correction::FromHere) {
    const auto next = hand.keys.upper_bound(frame);
    const int end = next == hand.keys.end() ? out.last() : next->first - 1;
    if (out.has(frame)) {
      const Vec2 by = place - out.where(frame);
      for (int f = frame + 1; f <= end; ++f)
        if (out.has(f)) out.set(f, out.where(f) + by);
    }
    hand.jumps.insert(frame);
  } else if (hand.jumps.erase(frame); out.has(frame)) {
    const Vec2 by = place - out.where(frame);
    const auto next = hand.keys.upper_bound(frame);
    const auto here = hand.keys.lower_bound(frame);
    // Beyond the outermost keys all of it moves along.
    if (here != hand.keys.begin())
      bend(out, std::prev(here)->first, frame, by);
    else
      for (int f = out.first; f < frame; ++f)
        if (out.has(f)) out.set(f, out.where(f) + by);
    if (next != hand.keys.end())
      bend(out, next->first, frame, by);
    else
      for (int f = frame + 1; f <= out.last(); ++f)
        if (out.has(f)) out.set(f, out.where(f) + by);
  }
  out.set(frame, place);
  hand.keys[frame] = place;
  out.hand = std::make_shared<ManualTracker>(hand);
  settle(out);
  return out;
}

Track blanked(const Track& track, const FrameRange& frames) {
  Track out = track;
  if (!track.hand || frames.count() == 0) return out;
  ManualTracker hand = *track.hand;
  for (auto it = hand.keys.begin(); it != hand.keys.end();)
    if (frames.contains(it->first) && hand.keys.size() > 1)
      hand.jumps.erase(it->first), it = hand.keys.erase(it);
    else
      ++it;
  std::erase_if(hand.fixed, [&](const auto& x) { return frames.contains(x.first); });
  std::erase_if(hand.weak, [&](int f) { return frames.contains(f); });
  hand.blank.push_back(frames);
  out.hand = std::make_shared<ManualTracker>(hand);
  settle(out);
  return out;
}

Track shownAgain(const Track& track, const FrameRange& frames) {
  Track out = track;
  if (!track.hand) return out;
  ManualTracker hand = *track.hand;
  std::vector<FrameRange> left;
  for (const FrameRange& b : hand.blank) {
    if (b.last < frames.first || b.first > frames.last) {
      left.push_back(b);
      continue;
    }
    if (b.first < frames.first) left.push_back({b.first, frames.first - 1});
    if (b.last > frames.last) left.push_back({frames.last + 1, b.last});
  }
  hand.blank = left;
  out.hand = std::make_shared<ManualTracker>(hand);
  return out;
}

Track unkeyed(const Track& track, int frame) {
  Track out = track;
  if (!track.hand || track.hand->keys.size() < 2) return out;
  ManualTracker hand = *track.hand;
  hand.keys.erase(frame), hand.jumps.erase(frame);
  out.hand = std::make_shared<ManualTracker>(hand);
  return out;
}

}  // namespace zentil::track

#include "core/track/hand.h"

#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/track/pattern.h"
#include "core/track/pyramid.h"

namespace zentil::track {

namespace {

constexpr double kAlike = 0.7;   ///< least correlation with the pattern, step by step
constexpr double kAgain = 0.85;  ///< and when it is found again after it was lost

constexpr double kSecond = 0.9;  ///< most that the second best place may be alike, over the best

const Vec2 kLost = Vec2::Constant(std::numeric_limits<double>::quiet_NaN());

/// The best place of a pattern about a guess, to the pixel; none where the box lies outside.
std::optional<Vec2> searched(const Pyramid& from, const Vec2& was, const Pyramid& to, const Vec2& guess,
                             const Hand& hand) {
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
  if (most < kAlike || next > kSecond * most) return std::nullopt;
  return Vec2(area.x + best.x, area.y + best.y) + was - Vec2(pattern.x, pattern.y);
}

/// Bends a way evenly: nothing at one frame, all of it at the other.
void bend(Track& t, int still, int moved, const Vec2& by) {
  if (still == moved) return;
  const int step = moved > still ? 1 : -1;
  for (int f = still + step; f != moved; f += step)
    if (t.has(f)) t.set(f, t.where(f) + by * std::abs(f - still) / std::abs(moved - still));
}

}  // namespace

Track followHand(const FrameSource& source, const Track& track, int from, int to, const Job& job) {
  if (!track.hand || track.hand->keys.empty()) throw Error("a tracker without a key cannot be followed", "Place it");
  if (!track.has(from))
    throw Error(fmt::format("the tracker has no place on frame {}", from), "Place it there, or go where it has one");
  const Hand& hand = *track.hand;
  const int step = to >= from ? 1 : -1;
  Track out = track;
  // The pattern is that of the last key on the way here.
  int key = hand.keys.begin()->first;
  for (const auto& [f, p] : hand.keys)
    if ((from - f) * step >= 0 && std::abs(from - f) <= std::abs(from - key)) key = f;
  auto reference = std::make_shared<const Pyramid>(source(key));
  const auto isKey = [&](int f) { return hand.keys.count(f) != 0; };
  if (isKey(from)) key = from;
  // Where the way is held at its beginning: at the key, or, when all keys lie ahead, where it starts.
  int anchor = (from - key) * step >= 0 ? key : from;
  auto before = from == key ? reference : std::make_shared<const Pyramid>(source(from));
  auto pattern = std::make_unique<Pattern>((key == from ? *before : *reference).grey(), hand.keys.at(key), hand.half);
  if (!pattern->holds())
    throw Error("the pattern has no texture that holds a place", "Make it larger, or place it on a corner");
  Pattern::Pose pose{out.where(from), Mat2::Identity()};
  Vec2 speed = Vec2::Zero();
  int lost = 0;
  const int total = std::abs(to - from);
  for (int f = from + step; total > 0 && !job.stopped(); f += step) {
    job.report(static_cast<double>(std::abs(f - from)) / total, fmt::format("frame {}", f));
    const auto now = std::make_shared<const Pyramid>(source(f));
    const bool same = now->width() == before->width() && now->height() == before->height();
    const auto inside = [&](const Vec2& p, double rim = 0) {
      return p.x() > rim && p.y() > rim && p.x() < now->width() - rim && p.y() < now->height() - rim;
    };
    bool found = false;
    // Gone over the rim, it is not looked for again.
    if (lost == 1 && !inside(pose.at + speed, 0.5 * hand.half)) lost = kPatience + 1;
    if (same && lost <= kPatience) {
      for (const bool stepping : {true, false}) {
        if (stepping && lost) continue;
        const auto guess = stepping    ? stepped(*before, *now, {pose.at})[0]
                           : lost == 0 ? searched(*before, pose.at, *now, pose.at + speed, hand)
                                       : searched(*reference, hand.keys.at(key), *now, pose.at, hand);
        if (!guess) continue;
        Pattern::Pose p{*guess, pose.shape};
        const auto answer = pattern->find(now->grey(), p);
        if (!answer.found || answer.correlation < (lost ? kAgain : kAlike) || !inside(p.at)) continue;
        speed = lost ? Vec2(0, 0) : Vec2(p.at - pose.at);
        pose = p, found = true;
        break;
      }
    }
    out.set(f, found ? pose.at : kLost);
    lost = found ? 0 : lost + 1;
    if (isKey(f)) {
      // What it is off by here has come about evenly since the key before.
      const Vec2 at = hand.keys.at(f);
      if (found) bend(out, anchor, f, at - pose.at);
      out.set(f, at);
      key = anchor = f, lost = 0;
      pose = {at, Mat2::Identity()};
      auto next = std::make_unique<Pattern>(now->grey(), at, hand.half);
      if (next->holds()) pattern = std::move(next), reference = now;
    }
    if (lost == 0) before = now;
    if (f == to) break;
  }
  return out;
}

Track keyed(const Track& track, int frame, const Vec2& place) {
  Track out = track;
  Hand hand = track.hand ? *track.hand : Hand{};
  if (out.has(frame)) {
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
  out.hand = std::make_shared<Hand>(hand);
  return out;
}

Track unkeyed(const Track& track, int frame) {
  Track out = track;
  if (!track.hand || track.hand->keys.size() < 2) return out;
  Hand hand = *track.hand;
  hand.keys.erase(frame);
  out.hand = std::make_shared<Hand>(hand);
  return out;
}

}  // namespace zentil::track

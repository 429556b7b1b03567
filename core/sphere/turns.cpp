#include "core/sphere/turns.h"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <opencv2/imgproc.hpp>
#include <optional>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/sphere/faces.h"
#include "core/sphere/relative.h"
#include "core/track/pattern.h"
#include "core/track/pyramid.h"

namespace zentil::sphere {
namespace {

/// More is not needed to turn by: at a twentieth of a pixel of 0.23 degrees.
constexpr int kMostWidth = 1536;
constexpr int kHalf = 8;
constexpr int kLostInARow = 12;

/// Smaller, by averaging, where it is large.
image::Picture small(const image::Picture& p) {
  if (p.data.width() <= kMostWidth) return p;
  const Box box{0, 0, kMostWidth, kMostWidth / 2};
  image::Picture out = image::Picture::unset(box, box, 1);
  const cv::Mat from(p.data.height(), p.data.width(), CV_32F, const_cast<float*>(p.values.data()));
  cv::Mat to(box.height(), box.width(), CV_32F, out.values.data());
  cv::resize(from, to, to.size(), 0, 0, cv::INTER_AREA);
  return out;
}

using Pyramids = std::vector<track::Pyramid>;

struct Feature {
  int face;
  Vec2 at;  ///< on the face of the frame that it was found on
  Vec3 way;
  track::Pattern pattern;
};

/// A frame that others are compared with.
struct Key {
  int frame = 0;
  Mat3 rotation = Mat3::Identity();
  double variance = 0;  ///< of its rotation about each axis, radians squared
  Pyramids pyramids;
  std::vector<Feature> features;
};

class Turning {
 public:
  Turning(const track::AllowedSource& allowed, int width)
      : allowed_(allowed), plateWidth_(width), faces_(std::min(width, kMostWidth)) {}

  void begin(int frame, const image::Picture& picture) {
    key_ = keyFrom(frame, picture, Mat3::Identity(), 0);
    if (key_.features.size() < 24)
      throw Error(fmt::format("frame {} has too little texture to follow", frame),
                  "Start on another frame, or make the tracking matte smaller");
    out_.at[frame] = {Mat3::Identity(), 0, static_cast<int>(key_.features.size()), false};
    lastKnown_ = frame;
  }

  /// Goes on to the next frame. False where too little is seen again.
  bool next(int frame, const image::Picture& picture) {
    auto seen = seenFrom(frame, picture);
    // What is left of the frame is compared afresh with the last one that is known.
    if (!seen && key_.frame != lastKnown_ && renewed()) seen = seenFrom(frame, picture);
    if (!seen) return false;
    const Mat3 turned = key_.rotation * seen->rotation.transpose();
    const double variance = key_.variance + seen->sigma * seen->sigma;
    out_.at[frame] = {turned, std::sqrt(variance) * 180 / M_PI, seen->agreeing(), !seen->travel.isZero()};
    residuals_.push_back(seen->residual / (2 * M_PI) * plateWidth_);
    before_ = out_.at.at(lastKnown_).rotation, beforeFrame_ = lastKnown_;
    lastKnown_ = frame, lastTravel_ = seen->travel;
    last_ = std::make_shared<image::Picture>(picture);
    // Where much of it went out of sight, this frame is what the next ones are compared with.
    if (seen->agreeing() < static_cast<int>(key_.features.size()) * 4 / 10) renewed();
    return true;
  }

  Turns answer() {
    if (!residuals_.empty()) {
      const auto mid = residuals_.begin() + static_cast<long>(residuals_.size() / 2);
      std::nth_element(residuals_.begin(), mid, residuals_.end());
      out_.residualPx = *mid;
    }
    return out_;
  }
  int lastKnown() const { return lastKnown_; }

 private:
  Pyramids pyramidsOf(const image::Picture& picture, const Mat3& turned) const {
    auto faces = faces_.of(picture, turned);
    Pyramids out;
    out.reserve(faces.size());
    for (auto& f : faces) out.emplace_back(std::make_shared<const image::Picture>(std::move(f)));
    return out;
  }

  /// 1 where a direction of a frame's own axes may be followed.
  static bool may(const image::Picture* allowed, const Vec3& way) {
    if (!allowed) return true;
    Vec2 at;
    view::Sphere(allowed->display.width(), allowed->display.height()).see(way, at);
    const Box& box = allowed->data;
    return *allowed->pixel(std::clamp(static_cast<int>(at.x()), box.x0, box.x1 - 1),
                           std::clamp(static_cast<int>(at.y()), box.y0, box.y1 - 1)) > 0.5f;
  }

  Key keyFrom(int frame, const image::Picture& picture, const Mat3& rotation, double variance) const {
    Key key{frame, rotation, variance, pyramidsOf(picture, Mat3::Identity()), {}};
    track::TrackSettings ask;
    ask.count = 140, ask.spacing = 14, ask.half = kHalf;
    const auto allowed = allowed_ ? allowed_(frame) : nullptr;
    for (int face = 0; face < Faces::kCount; ++face) {
      const auto& p = key.pyramids[static_cast<size_t>(face)];
      for (const Vec2& at : track::featuresOf(p.picture(), ask)) {
        const Vec3 way = faces_.wayOf(face, at);
        if (Faces::faceOf(way) != face || !may(allowed.get(), way)) continue;
        Feature f{face, at, way, track::Pattern(p.grey(), at, kHalf)};
        if (f.pattern.holds()) key.features.push_back(std::move(f));
      }
    }
    return key;
  }

  /// The last known frame becomes the one that others are compared with.
  bool renewed() {
    if (!last_) return false;
    const auto& t = out_.at.at(lastKnown_);
    const double sigma = t.sigmaDegrees * M_PI / 180;
    Key fresh = keyFrom(lastKnown_, *last_, t.rotation, sigma * sigma);
    if (fresh.features.size() < 24) return false;
    key_ = std::move(fresh);
    return true;
  }

  /// From the key's directions to this frame's; none where too little is seen again.
  std::optional<Relative> seenFrom(int frame, const image::Picture& picture) const {
    const auto allowed = allowed_ ? allowed_(frame) : nullptr;
    // As it went on turning.
    Mat3 guess = out_.at.at(lastKnown_).rotation;
    if (beforeFrame_ < lastKnown_) {
      const Eigen::AngleAxisd step(before_.transpose() * guess);
      const double steps = static_cast<double>(frame - lastKnown_) / (lastKnown_ - beforeFrame_);
      guess = guess * Eigen::AngleAxisd(step.angle() * steps, step.axis()).toRotationMatrix();
    }
    Mat3 toHere = guess.transpose() * key_.rotation;
    std::optional<Relative> found;
    // Once more, where the first look had to search: then everything lies where it is expected.
    for (int round = 0; round < 3; ++round) {
      const Pyramids here = pyramidsOf(picture, toHere);
      std::vector<Vec3> first, second;
      follow(here, toHere, allowed.get(), first, second);
      Relative r;
      try {
        r = relativeOf(first, second, found ? found->travel : lastTravel_);
      } catch (const Error&) {
        return std::nullopt;
      }
      const double further = Eigen::AngleAxisd(r.rotation).angle();
      toHere = toHere * r.rotation;
      r.rotation = toHere;
      found = r;
      if (further < 2 * faces_.pixelAngle()) break;
    }
    // A third of what was there, or a good number: less may agree by chance.
    if (found->agreeing() < std::min(40, static_cast<int>(key_.features.size()) / 3)) return std::nullopt;
    return found;
  }

  void follow(const Pyramids& here, const Mat3& toHere, const image::Picture* allowed, std::vector<Vec3>& first,
              std::vector<Vec3>& second) const {
    std::vector<Vec3> ways(key_.features.size(), Vec3::Zero());
    for (int face = 0; face < Faces::kCount; ++face) {
      const auto k = static_cast<size_t>(face);
      std::vector<size_t> index;
      std::vector<Vec2> at;
      for (size_t i = 0; i < key_.features.size(); ++i)
        if (key_.features[i].face == face) index.push_back(i), at.push_back(key_.features[i].at);
      if (at.empty()) continue;
      const auto went = track::stepped(key_.pyramids[k], here[k], at);
      parallelRanges(0, static_cast<int>(index.size()), 8, [&](int from, int to) {
        for (int j = from; j < to; ++j) {
          const auto n = static_cast<size_t>(j);
          if (!went[n]) continue;
          track::Pattern::Pose pose{*went[n], Mat2::Identity()};
          const auto answer = key_.features[index[n]].pattern.find(here[k].grey(), pose);
          constexpr double kAlike = 0.8;
          if (answer.found && answer.correlation > kAlike && (pose.at - *went[n]).norm() < 2)
            ways[index[n]] = faces_.wayOf(face, pose.at);
        }
      });
    }
    for (size_t i = 0; i < ways.size(); ++i)
      if (!ways[i].isZero() && may(allowed, toHere * ways[i]))
        first.push_back(key_.features[i].way), second.push_back(ways[i]);
  }

  const track::AllowedSource& allowed_;
  int plateWidth_;
  Faces faces_;
  Key key_;
  Turns out_;
  Mat3 before_ = Mat3::Identity();
  int beforeFrame_ = 0, lastKnown_ = 0;
  Vec3 lastTravel_ = Vec3::Zero();
  std::shared_ptr<const image::Picture> last_;
  std::vector<double> residuals_;
};

}  // namespace

Turns turnsOf(const track::FrameSource& frames, const FrameRange& range, const Job& job,
              const track::AllowedSource& allowed) {
  std::optional<Turning> turning;
  std::vector<int> waiting;  // not known, since the last that is
  std::vector<int> lost;
  for (int f = range.first; f <= range.last && !job.stopped(); ++f) {
    job.report(static_cast<double>(f - range.first) / range.count(), fmt::format("frame {}", f));
    const auto whole = frames(f);
    if (whole && whole->display.width() != 2 * whole->display.height())
      throw Error(fmt::format("frame {} is {} x {}, not twice as wide as high", f, whole->display.width(),
                              whole->display.height()),
                  "A picture of everything around is 2:1; say at Plate what this one is");
    if (whole && !turning) {
      turning.emplace(allowed, whole->display.width());
      turning->begin(f, small(*whole));
      continue;
    }
    if (!turning) continue;
    if (whole && turning->next(f, small(*whole))) {
      lost.insert(lost.end(), waiting.begin(), waiting.end());
      waiting.clear();
      continue;
    }
    waiting.push_back(f);
    if (waiting.size() >= kLostInARow && whole)
      throw Error(fmt::format("how it turned is lost after frame {}: too little is seen again", turning->lastKnown()),
                  "Shorten the range, or put moving things under the tracking matte");
  }
  if (!turning) throw Error("no frame of the range is there", "Change the shot's range");
  Turns out = turning->answer();
  out.lost = lost;
  return out;
}

}  // namespace zentil::sphere

#include "core/lens/board.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <opencv2/calib3d.hpp>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/median.h"
#include "core/base/parallel.h"
#include "core/image/plate.h"

namespace zentil::lens {
namespace {

/// Three by four corners are the smallest grid that is taken for a board: smaller ones are seen in any texture.
constexpr int kLeast = 3;

cv::Mat greyOf(const image::Picture& p) {
  cv::Mat grey(p.data.height(), p.data.width(), CV_8U);
  for (int y = 0; y < grey.rows; ++y)
    for (int x = 0; x < grey.cols; ++x) {
      const float* v = p.pixel(p.data.x0 + x, p.data.y0 + y);
      const float luma = p.channels >= 3 ? 0.2126f * v[0] + 0.7152f * v[1] + 0.0722f * v[2] : v[0];
      grey.at<uchar>(y, x) = static_cast<uchar>(std::lround(std::clamp(luma, 0.0f, 1.0f) * 255));
    }
  return grey;
}

/// Every corner again, from the directions of the edges around it, in as wide a window as leaves out its neighbours
/// (Foerstner and Guelch 1987, A Fast Operator for Detection and Precise Location of Distinct Points).
void refineCorners(const cv::Mat& grey, const cv::Size& size, std::vector<cv::Point2f>& corners) {
  const std::vector<cv::Point2f> found = corners;
  const auto at = [&](int c, int r) { return found[static_cast<size_t>(r) * size.width + c]; };
  for (int r = 0; r < size.height; ++r)
    for (int c = 0; c < size.width; ++c) {
      // The edges beyond the neighbours, parallel to those that meet here, must stay outside.
      const cv::Point2f across = at(std::min(c + 1, size.width - 1), r) - at(std::max(c - 1, 0), r),
                        down = at(c, std::min(r + 1, size.height - 1)) - at(c, std::max(r - 1, 0));
      const double spanC = c > 0 && c + 1 < size.width ? 2 : 1, spanR = r > 0 && r + 1 < size.height ? 2 : 1;
      const double area = std::abs(across.cross(down)) / (spanC * spanR);
      // How much of the way: less at the border, where the outermost squares may be cut narrow.
      const double share = spanC * spanR == 4 ? 0.65 : 0.4;
      double half = 11;
      for (const auto& [edge, span] : {std::pair(across, spanC), std::pair(down, spanR)}) {
        // Distance of the parallel edge, over how far a square window reaches in its direction.
        const double along = cv::norm(edge) / span, reach = (std::abs(edge.x) + std::abs(edge.y)) / cv::norm(edge);
        half = std::min(half, share * area / along / reach);
      }
      const int w = std::max(2, static_cast<int>(half));
      std::vector<cv::Point2f> one = {at(c, r)};
      cv::cornerSubPix(grey, one, {w, w}, {-1, -1}, {cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 60, 1e-4});
      if (cv::norm(one[0] - at(c, r)) < w) corners[static_cast<size_t>(r) * size.width + c] = one[0];
    }
}

/// True when the squares between the corners are dark and bright by turns, as only a checkerboard's are.
bool alternates(const cv::Mat& grey, const cv::Size& size, const std::vector<cv::Point2f>& corners) {
  cv::Mat smooth;
  cv::GaussianBlur(grey, smooth, {0, 0}, 1.0);
  const auto square = [&](int c, int r) {
    const size_t i = static_cast<size_t>(r) * size.width + c;
    const cv::Point2f m = (corners[i] + corners[i + 1] + corners[i + size.width] + corners[i + size.width + 1]) * 0.25f;
    return static_cast<double>(smooth.at<uchar>(std::clamp(static_cast<int>(std::lround(m.y)), 0, grey.rows - 1),
                                                std::clamp(static_cast<int>(std::lround(m.x)), 0, grey.cols - 1)));
  };
  int right = 0, wrong = 0;
  const double sign = square(0, 0) > square(1, 0) ? 1 : -1;
  const auto vote = [&](double difference, int parity) {
    (difference * sign * (parity % 2 ? -1 : 1) > 8 ? right : wrong)++;
  };
  for (int r = 0; r + 1 < size.height; ++r)
    for (int c = 0; c + 1 < size.width; ++c) {
      if (c + 2 < size.width) vote(square(c, r) - square(c + 1, r), c + r);
      if (r + 2 < size.height) vote(square(c, r) - square(c, r + 1), c + r);
    }
  return wrong * 20 <= right;
}

}  // namespace

BoardCorners findBoard(const image::Picture& picture, int columns, int rows) {
  BoardCorners out;
  out.width = picture.display.width(), out.height = picture.display.height();
  const cv::Mat grey = greyOf(picture);
  std::vector<cv::Point2f> corners;
  constexpr int kCare = cv::CALIB_CB_EXHAUSTIVE | cv::CALIB_CB_ACCURACY | cv::CALIB_CB_NORMALIZE_IMAGE;
  cv::Size size(columns, rows);
  bool found = columns >= 3 && rows >= 3 && cv::findChessboardCornersSB(grey, size, corners, kCare);
  if (!found) {
    // Any board: grown from three by three as far as its corners are seen.
    cv::Mat meta;
    found = cv::findChessboardCornersSB(grey, {3, 3}, corners, kCare | cv::CALIB_CB_LARGER, meta);
    size = meta.size();
    if (columns >= 3 && rows >= 3 && found)
      found = std::max(size.width, size.height) <= std::max(columns, rows) &&
              std::min(size.width, size.height) <= std::min(columns, rows);
  }
  if (!found || static_cast<size_t>(size.area()) != corners.size() || std::min(size.width, size.height) < kLeast ||
      std::max(size.width, size.height) <= kLeast)
    return out;
  if (!alternates(grey, size, corners)) return out;
  out.columns = size.width, out.rows = size.height;
  refineCorners(grey, size, corners);
  // OpenCV puts the centre of the first pixel at 0; here it is at 0.5.
  for (const auto& c : corners) out.corners.emplace_back(picture.data.x0 + c.x + 0.5, picture.data.y0 + c.y + 0.5);
  return out;
}

namespace {

/// What one run over the pictures in use gives.
struct Solution {
  cv::Mat inner, coefficients, sigma, perView;
  double rmsPx = 0;
  size_t corners = 0;
};

Solution solve(const BoardAnswer& a, const BoardSettings& question, bool k3) {
  Solution s;
  std::vector<std::vector<cv::Point3f>> object;
  std::vector<std::vector<cv::Point2f>> seen;
  for (const BoardPicture& p : a.pictures) {
    if (!p.used) continue;
    object.emplace_back(), seen.emplace_back();
    for (int r = 0; r < p.board.rows; ++r)
      for (int c = 0; c < p.board.columns; ++c) {
        object.back().emplace_back(static_cast<float>(c), static_cast<float>(r), 0.0f);
        const Vec2& q = p.board.at(c, r);
        seen.back().emplace_back(static_cast<float>(q.x() - 0.5), static_cast<float>(q.y() - 0.5));
        ++s.corners;
      }
  }
  int flags = question.squarePixels ? cv::CALIB_FIX_ASPECT_RATIO : 0;
  if (!k3) flags |= cv::CALIB_FIX_K3;
  if (!question.tangential) flags |= cv::CALIB_ZERO_TANGENT_DIST;
  s.inner = cv::Mat::eye(3, 3, CV_64F);
  s.coefficients = cv::Mat::zeros(1, 5, CV_64F);
  std::vector<cv::Mat> turns, places;
  cv::Mat sigmaOuter;
  try {
    s.rmsPx = cv::calibrateCamera(object, seen, {a.width, a.height}, s.inner, s.coefficients, turns, places, s.sigma,
                                  sigmaOuter, s.perView, flags,
                                  {cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 200, 1e-12});
  } catch (const cv::Exception&) {
    s.inner.at<double>(0, 0) = -1;
  }
  if (!(s.inner.at<double>(0, 0) > 0) || !std::isfinite(s.inner.at<double>(0, 0)))
    throw Error("these boards do not determine a camera", "Turn the board a different way in each picture");
  return s;
}

/// Solves, leaving out one outlier after the other.
Solution solveWithoutOutliers(BoardAnswer& a, const BoardSettings& question, bool k3) {
  for (;;) {
    Solution s = solve(a, question, k3);
    std::vector<double> sorted;
    BoardPicture* worst = nullptr;
    for (BoardPicture& p : a.pictures) {
      if (!p.used) continue;
      p.rmsPx = s.perView.at<double>(static_cast<int>(sorted.size()));
      sorted.push_back(p.rmsPx);
      if (!worst || p.rmsPx > worst->rmsPx) worst = &p;
    }
    const double median = medianOf(sorted);
    if (sorted.size() <= 3 || worst->rmsPx <= std::max(3 * median, 0.3)) return s;
    worst->used = false;
    worst->problem = fmt::format("left out: {:.2f} px RMS where the others have {:.2f}", worst->rmsPx, median);
  }
}

}  // namespace

BoardAnswer calibrate(const std::vector<BoardCorners>& boards, const BoardSettings& question) {
  BoardAnswer out;
  size_t found = 0;
  // The size that most have is the size; the odd one is the one to blame.
  std::map<std::pair<int, int>, size_t> sizes;
  for (const BoardCorners& b : boards) {
    const size_t n = ++sizes[{b.width, b.height}];
    if (out.width == 0 || n > sizes[{out.width, out.height}]) out.width = b.width, out.height = b.height;
  }
  for (const BoardCorners& b : boards) {
    BoardPicture p;
    p.board = b;
    p.used = !b.corners.empty();
    if (!p.used) p.problem = "no board was found in it";
    found += p.used;
    if (b.width != out.width || b.height != out.height)
      throw Error(
          fmt::format("{}: is {} x {}, the others are {} x {}", b.file, b.width, b.height, out.width, out.height),
          "Take all pictures with one camera at one size");
    out.pictures.push_back(p);
  }
  if (found < 3)
    throw Error(fmt::format("a board was found in {} of {} pictures; three are needed", found, boards.size()),
                "Take pictures of a flat checkerboard that fills much of the frame, turned a different way in each");
  Solution s = solveWithoutOutliers(out, question, false);
  bool k3 = false;
  if (question.k3) {
    const Solution richer = solve(out, question, true);
    // F(1, n) at one in twenty is 3.84 for large n.
    const double n = 2.0 * static_cast<double>(s.corners),
                 gained = s.rmsPx * s.rmsPx / (richer.rmsPx * richer.rmsPx) - 1;
    k3 = gained * n > 3.84;
    if (k3) s = solveWithoutOutliers(out, question, true);
  }
  const auto* v = s.coefficients.ptr<double>();
  Lens lens;
  lens.k1 = v[0], lens.k2 = v[1], lens.p1 = v[2], lens.p2 = v[3], lens.k3 = k3 ? v[4] : 0.0, lens.source = "boards";
  // OpenCV puts the centre of the first pixel at 0; here it is at 0.5.
  out.lens = LensOnPixels(lens, s.inner.at<double>(0, 0), s.inner.at<double>(1, 1), s.inner.at<double>(0, 2) + 0.5,
                          s.inner.at<double>(1, 2) + 0.5);
  out.rmsPx = s.rmsPx;
  const auto sigma = [&](int i) { return s.sigma.at<double>(i); };
  out.focalSigma = std::max(sigma(0), sigma(1));
  out.centreSigma = {sigma(2), sigma(3)};
  out.sigma = {sigma(4), sigma(5), sigma(8), sigma(6), sigma(7)};
  if (out.focalSigma > 0.01 * out.lens.fx)
    out.remarks.push_back(
        fmt::format("the focal length is known to {:.1f}% only: tilt the board more, up to 45 degrees",
                    100 * out.focalSigma / out.lens.fx));
  // Distortion is only known as far out as corners were seen.
  double farthest = 0, corner = 0;
  const Vec2 centre(out.lens.cx, out.lens.cy);
  for (const BoardPicture& p : out.pictures)
    if (p.used)
      for (const Vec2& q : p.board.corners) farthest = std::max(farthest, (q - centre).norm());
  for (const Vec2& c : {Vec2(0, 0), Vec2(out.width, 0), Vec2(0, out.height), Vec2(out.width, out.height)})
    corner = std::max(corner, (c - centre).norm());
  const auto unused = std::count_if(out.pictures.begin(), out.pictures.end(), [](const auto& p) { return !p.used; });
  if (unused > 0 && (question.columns < 3 || question.rows < 3))
    out.remarks.push_back(
        fmt::format("{} of {} pictures are not used: say how many inner corners the board has, and more "
                    "may be found",
                    unused, out.pictures.size()));
  if (farthest < 0.8 * corner)
    out.remarks.push_back(
        fmt::format("corners reach {:.0f}% of the way to the frame's corner: beyond that the "
                    "distortion is a guess. Take a picture with the board in the corner",
                    100 * farthest / corner));
  return out;
}

BoardAnswer calibrate(const std::vector<std::filesystem::path>& files, const BoardSettings& question, const Job& job) {
  if (files.empty()) throw Error("no pictures were given", "Give three or more pictures of a checkerboard");
  std::vector<BoardCorners> boards(files.size());
  for (size_t i = 0; i < files.size(); ++i) {
    job.checkpoint();
    job.report(static_cast<double>(i) / static_cast<double>(files.size()), files[i].filename().string());
    boards[i] = findBoard(image::readPicture(files[i], "raw").forReading(), question.columns, question.rows);
    boards[i].file = files[i].string();
  }
  if (question.columns < 3 || question.rows < 3) {
    // The board is of the size that most corners were seen in, twice at least: looked for by that it is found where a
    // look for any board failed, caught a part of it, or took its surroundings for more of it.
    const auto sizeOf = [](const BoardCorners& b) -> std::pair<int, int> { return std::minmax(b.columns, b.rows); };
    std::map<std::pair<int, int>, int> seen;
    for (const auto& b : boards)
      if (!b.corners.empty()) ++seen[sizeOf(b)];
    std::pair<int, int> size{0, 0};
    const auto cornersIn = [&](const std::pair<int, int>& s) { return seen[s] * s.first * s.second; };
    for (const auto& [s, times] : seen)
      if (times >= 2 && (size.first == 0 || cornersIn(s) > cornersIn(size))) size = s;
    for (size_t i = 0; i < files.size() && size.first >= 3; ++i) {
      if (sizeOf(boards[i]) == size) continue;
      job.checkpoint();
      const auto again = findBoard(image::readPicture(files[i], "raw").forReading(), size.second, size.first);
      if (sizeOf(again) == size) boards[i] = again, boards[i].file = files[i].string();
    }
  }
  job.report(0.95, "focal length and distortion");
  return calibrate(boards, question);
}

LensOnPixels restated(const LensOnPixels& l, int ofWidth, double fx, double fy, int width) {
  const double scale = static_cast<double>(width) / ofWidth, s = fx / (l.fx * scale), ss = s * s;
  Lens out = l.lens;
  out.k1 *= ss, out.k2 *= ss * ss, out.k3 *= ss * ss * ss, out.p1 *= s, out.p2 *= s;
  return {out, fx, fy, l.cx * scale, l.cy * scale};
}

}  // namespace zentil::lens

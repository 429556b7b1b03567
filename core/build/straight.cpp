#include "core/build/straight.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/build/cg.h"
#include "core/image/write.h"
#include "core/shot/shot_json.h"

namespace fs = std::filesystem;

namespace zentil::build {

using image::Picture;

Picture straightened(const Picture& plate, const shot::Shot& shot, int frame, const Box& box, map::Filter filter) {
  return map::resample(plate, map::Bend(shot.lensAt(frame)), box, box, filter);
}

std::vector<fs::path> writeStraightPlates(const shot::Shot& shot, const std::vector<int>& frames,
                                          const fs::path& folder, Workshop& workshop, const Job& job) {
  std::error_code ec;
  fs::create_directories(folder, ec);
  if (ec)
    throw Error(fmt::format("{}: the folder cannot be made ({})", folder.string(), ec.message()),
                "Choose a folder that may be written to");
  const Box box = overscan(shot, shot.overscan);
  image::WriteOptions options;
  options.notes["zentil:plate"] = fs::path(shot.plate.pattern).filename().string();
  std::vector<fs::path> files;
  for (size_t i = 0; i < frames.size(); ++i) {
    job.checkpoint();
    job.report(static_cast<double>(i) / static_cast<double>(frames.size()), fmt::format("frame {}", frames[i]));
    const auto plate = workshop.frame(shot.plate, frames[i]);
    Picture p = straightened(plate->forReading(), shot, frames[i], box, map::Filter::Sharper);
    p.data = p.display = {0, 0, box.width(), box.height()};
    files.push_back(folder / fmt::format("{}_straight.{:04}.exr", shot.name, frames[i]));
    image::writePicture(files.back(), p, options);
  }
  return files;
}

namespace {

/// 1 where the painted picture is not what straightening gives, with a soft border.
Picture touched(const Picture& painted, const Picture& own) {
  cv::Mat mask(own.data.height(), own.data.width(), CV_8U);
  for (int y = 0; y < mask.rows; ++y)
    for (int x = 0; x < mask.cols; ++x) {
      const float *a = painted.pixel(painted.data.x0 + x, painted.data.y0 + y),
                  *b = own.pixel(own.data.x0 + x, own.data.y0 + y);
      bool differs = false;
      // Half floats step by one part in 2048; twice that, and a little for files kept with loss.
      for (int c = 0; c < 3; ++c) differs |= std::abs(a[c] - b[c]) > 0.002f * (std::abs(b[c]) + 0.05f);
      mask.at<uchar>(y, x) = differs ? 255 : 0;
    }
  cv::dilate(mask, mask, cv::getStructuringElement(cv::MORPH_ELLIPSE, {7, 7}));
  cv::Mat soft;
  mask.convertTo(soft, CV_32F, 1 / 255.0);
  cv::blur(soft, soft, {5, 5});
  Picture out = Picture::unset(own.data, own.display, 1);
  std::copy_n(soft.ptr<float>(), out.values.size(), out.values.data());
  return out;
}

image::Frame mendedFrame(const shot::Shot& shot, int frame, const image::Frame& plate, const Picture& given,
                         const Box& box) {
  Picture painted = given;
  painted.data = painted.display = box;
  const Picture own = straightened(plate.forReading(), shot, frame, box, map::Filter::Sharper);
  const map::Straighten bend(shot.lensAt(frame));
  const Box all = shot.frameBox();
  const Picture where = map::resample(touched(painted, own), bend, all, all, map::Filter::Draft),
                what = map::resample(painted, bend, all, all, map::Filter::Sharper, nullptr, &where);
  image::Frame out;
  out.hasAlpha = plate.hasAlpha, out.wasHalf = plate.wasHalf;
  out.picture = plate.forReading();
  for (int y = all.y0; y < all.y1; ++y)
    for (int x = all.x0; x < all.x1; ++x) {
      const float m = *where.pixel(x, y);
      if (m <= 0 || !out.picture.data.contains(x, y)) continue;
      float* p = out.picture.pixel(x, y);
      for (int c = 0; c < 3; ++c) p[c] += m * (what.pixel(x, y)[c] - p[c]);
    }
  return out;
}

}  // namespace

Workshop::FramePtr sourceOf(const shot::Shot& shot, const element::Element& e, Workshop& workshop) {
  if (e.picture.empty()) return workshop.frame(shot.plate, e.sourceFrame);
  auto clean = workshop.picture(e.picture);
  const Box size = clean->picture.display, data = clean->picture.data;
  if (size == shot.frameBox()) return clean;
  const Box box = overscan(shot, shot.overscan);
  if (size.width() != box.width() || size.height() != box.height() || data != size)
    throw Error(
        fmt::format("\"{}\": {} is {} x {}; the plate is {} x {}, straight {} x {}", e.name, e.picture, size.width(),
                    size.height(), shot.plate.width, shot.plate.height, box.width(), box.height()),
        "A clean picture stands for a plate frame, as shot or straight, and has its size");
  shot::Shot lensOnly;
  lensOnly.lens = shot.lens, lensOnly.camera = shot.camera;
  const uint64_t key =
      hashOf(static_cast<uint64_t>(e.sourceFrame),
             hashOf(shot.plate.pattern,
                    hashOf(shot::picturesHash(lensOnly), hashOf(workshop.pictureKey(e.picture), hashOf("straight")))));
  return workshop.made(key, [&] {
    return mendedFrame(shot, e.sourceFrame, *workshop.frame(shot.plate, e.sourceFrame), clean->picture, box);
  });
}

}  // namespace zentil::build

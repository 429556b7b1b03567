#include "core/lens/lens_file.h"

#include <cmath>
#include <nlohmann/json.hpp>
#include <opencv2/core.hpp>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_file.h"
#include "core/base/nesting.h"
#include "core/lens/lens_json.h"

namespace fs = std::filesystem;

namespace zentil::lens {
namespace {

void requireFinite(const Lens& l, const fs::path& file) {
  std::vector<double> all = {l.k1, l.k2, l.k3, l.p1, l.p2, l.squeezeCentrePx};
  for (const auto& [frame, c] : l.keys.all()) all.insert(all.end(), c.value.begin(), c.value.end());
  for (const double v : all)
    if (!std::isfinite(v))
      throw Error(fmt::format("{}: a lens coefficient is not a number", file.string()),
                  "Measure the lens again, or correct the file");
}

LensFile readOwn(const fs::path& file, int plateWidth, int plateHeight) {
  LensFile out;
  try {
    const auto j = zentil::readJson(file);
    if (j.value("type", "") != "zentil-lens")
      throw Error(fmt::format("{}: is JSON, but not a lens", file.string()),
                  R"(A lens has "type": "zentil-lens" and the coefficients k1, k2, k3, p1, p2)");
    out.lens = lensFrom(j);
    if (std::string problem; j.contains("stMaps")) {
      out.lens.maps = mapsFrom(j.at("stMaps"), fs::absolute(file).parent_path(), plateWidth, plateHeight, problem);
      if (!problem.empty()) throw Error(problem, "");
    }
  } catch (const nlohmann::json::exception& e) {
    throw Error(fmt::format("{}: a lens's setting has the wrong kind of value ({})", file.string(), e.what()),
                "Correct it, or save it again where it was made");
  }
  return out;
}

LensFile readOpenCv(const fs::path& file) {
  LensFile out;
  try {
    refuseDeepNesting(readText(file), file.string());  // says plainly when it is missing or may not be read
    const cv::FileStorage in(file.string(), cv::FileStorage::READ);
    if (!in.isOpened())
      throw Error(fmt::format("{}: cannot be read as a calibration file", file.string()),
                  "Give OpenCV's YAML or XML, or a lens as JSON");
    const auto find = [&](std::initializer_list<const char*> names) {
      cv::Mat m;
      for (const char* name : names)
        if (!in[name].empty()) {
          in[name] >> m;
          break;
        }
      cv::Mat d;
      if (!m.empty()) m.convertTo(d, CV_64F);
      return d;
    };
    const cv::Mat k = find({"camera_matrix", "cameraMatrix", "Camera_Matrix", "M1", "K"});
    const cv::Mat d = find({"distortion_coefficients", "distCoeffs", "Distortion_Coefficients", "D1", "D"});
    if (d.empty())
      throw Error(fmt::format("{}: holds no distortion coefficients", file.string()),
                  "Zentil looks for distortion_coefficients (k1 k2 p1 p2 k3) and camera_matrix");
    const auto n = d.total();
    if (n != 4 && n != 5)
      throw Error(
          fmt::format("{}: has {} distortion coefficients; Zentil takes 4 or 5 (k1 k2 p1 p2 k3)", file.string(), n),
          "Calibrate with the plain Brown-Conrady model");
    const auto* v = d.ptr<double>();
    out.lens = {v[0], v[1], n == 5 ? v[4] : 0.0, v[2], v[3], {}};
    if (k.rows == 3 && k.cols == 3) {
      out.focalPx = Vec2(k.at<double>(0, 0), k.at<double>(1, 1));
      // OpenCV puts the centre of the first pixel at 0; here it is at 0.5.
      out.centrePx = Vec2(k.at<double>(0, 2) + 0.5, k.at<double>(1, 2) + 0.5);
    }
    if (!in["image_width"].empty()) in["image_width"] >> out.width;
    if (!in["image_height"].empty()) in["image_height"] >> out.height;
  } catch (const cv::Exception& e) {
    throw Error(fmt::format("{}: is not a readable calibration file ({})", file.string(), e.err),
                "The file may be cut short: save it again where it was made");
  }
  return out;
}

}  // namespace

LensFile readLens(const fs::path& file, int plateWidth, int plateHeight) {
  const std::string ext = lowerEnding(file);
  LensFile out;
  if (ext == ".json")
    out = readOwn(file, plateWidth, plateHeight);
  else if (ext == ".yml" || ext == ".yaml" || ext == ".xml")
    out = readOpenCv(file);
  else
    throw Error(fmt::format("{}: a lens comes as .json, .yml, .yaml or .xml", file.string()), "Choose one of these");
  requireFinite(out.lens, file);
  out.lens.source = file.filename().string();
  return out;
}

bool canBeWrittenForOpenCv(const Lens& l) { return !l.maps && l.model == Model::BrownConrady && l.squeeze == 1; }

void writeLensForOpenCv(const fs::path& file, const LensOnPixels& l, int width, int height) {
  if (!canBeWrittenForOpenCv(l.lens))
    throw Error(fmt::format("{}: a calibration file holds Brown-Conrady coefficients only", file.string()),
                "Pass the lens on as ST maps");
  cv::FileStorage out("calibration.yml", cv::FileStorage::WRITE | cv::FileStorage::MEMORY);
  // OpenCV puts the centre of the first pixel at 0; here it is at 0.5.
  const cv::Mat k = (cv::Mat_<double>(3, 3) << l.fx, 0, l.cx - 0.5, 0, l.fy, l.cy - 0.5, 0, 0, 1);
  const cv::Mat d = (cv::Mat_<double>(1, 5) << l.lens.k1, l.lens.k2, l.lens.p1, l.lens.p2, l.lens.k3);
  out << "image_width" << width << "image_height" << height << "camera_matrix" << k << "distortion_coefficients" << d;
  writeText(file, out.releaseAndGetString());
}

void writeLens(const fs::path& file, const Lens& l) {
  nlohmann::json j = toJson(l, fs::absolute(file).parent_path());
  j["type"] = "zentil-lens";
  j["model"] = nameOf(l.model);
  writeText(file, j.dump(2) + "\n");
}

}  // namespace zentil::lens

// The bundle beside a plain program with Ceres Solver: automatic derivatives, SPARSE_SCHUR, as many threads.
#include <benchmark/benchmark.h>
#include <ceres/ceres.h>
#include <ceres/rotation.h>

#include <Eigen/Geometry>
#include <random>
#include <thread>

#include "core/solve/bundle.h"
#include "tests/support/tracked.h"

namespace {

using namespace zentil;

/// `views` views of `points` points, each seen for a part of the way, with 0.2 px of noise, and a start a little off.
struct Problem {
  solve::Intrinsics truth{1300, 645, 357, 1, {}};
  std::vector<solve::View> views;
  std::vector<Vec3> points;
  std::vector<solve::Observation> sights;

  Problem(int viewCount, int pointCount, int sightCount) {
    truth.lens.k1 = -0.09, truth.lens.k2 = 0.012;
    std::mt19937 random(1);
    std::uniform_real_distribution<double> u(-1, 1);
    std::normal_distribution<double> noise(0, 0.2), shake(0, 0.002);
    views.resize(static_cast<size_t>(viewCount));
    for (int i = 0; i < viewCount; ++i) {
      auto& v = views[static_cast<size_t>(i)];
      v.turn = Eigen::AngleAxisd(0.2 * i / viewCount, Vec3::UnitY()).toRotationMatrix();
      v.place = Vec3(-3.0 * i / viewCount, 0.1 * std::sin(0.2 * i), 0);
    }
    for (int i = 0; i < pointCount; ++i) points.emplace_back(4 * u(random) + 1.5, 2 * u(random), 7 + 2 * u(random));
    const int length = std::max(8, sightCount / pointCount);
    for (int p = 0; p < pointCount; ++p) {
      const int first = static_cast<int>((u(random) + 1) / 2 * std::max(1, viewCount - length));
      for (int f = first; f < std::min(viewCount, first + length); ++f) {
        Vec2 at;
        if (truth.project(views[static_cast<size_t>(f)], points[static_cast<size_t>(p)], at))
          sights.push_back({f, p, at + Vec2(noise(random), noise(random)), 1});
      }
    }
    for (auto& v : views) v.place += Vec3(shake(random), shake(random), shake(random));
    for (auto& p : points) p += 5 * Vec3(shake(random), shake(random), shake(random));
  }
};

void Bundle(benchmark::State& state) {
  const Problem problem(static_cast<int>(state.range(0)), static_cast<int>(state.range(1)),
                        static_cast<int>(state.range(2)));
  solve::BundleSettings q;
  q.focal = q.k1 = q.k2 = true, q.huberPx = 1e6;
  double focal = 0;
  solve::BundleReport report;
  for (auto _ : state) {
    auto views = problem.views;
    auto points = problem.points;
    solve::Intrinsics inner = problem.truth;
    inner.f = 1280, inner.lens.k1 = -0.05, inner.lens.k2 = 0;
    report = solve::refine(views, inner, points, problem.sights, q);
    focal = inner.f;
  }
  state.counters["sights"] = static_cast<double>(problem.sights.size());
  state.counters["rms_px"] = report.rmsPx;
  state.counters["rounds"] = report.rounds;
  state.counters["focal_px"] = focal;
}

/// One sight, for Ceres: camera is turn (angle and axis) and place; inner f, k1, k2.
struct Residual {
  Vec2 seen, centre;
  template <typename T>
  bool operator()(const T* camera, const T* inner, const T* point, T* out) const {
    T p[3];
    ceres::AngleAxisRotatePoint(camera, point, p);
    const T x = (p[0] + camera[3]) / (p[2] + camera[5]), y = (p[1] + camera[4]) / (p[2] + camera[5]);
    const T rr = x * x + y * y, radial = inner[0] * (T(1) + rr * (inner[1] + rr * inner[2]));
    out[0] = x * radial + T(centre.x() - seen.x());
    out[1] = y * radial + T(centre.y() - seen.y());
    return true;
  }
};

void CeresSparseSchur(benchmark::State& state) {
  const Problem start(static_cast<int>(state.range(0)), static_cast<int>(state.range(1)),
                      static_cast<int>(state.range(2)));
  double focal = 0, rms = 0, rounds = 0;
  for (auto _ : state) {
    std::vector<std::array<double, 6>> cameras;
    for (const auto& v : start.views) {
      const Eigen::AngleAxisd a(v.turn);
      const Vec3 w = a.angle() * a.axis();
      cameras.push_back({w.x(), w.y(), w.z(), v.place.x(), v.place.y(), v.place.z()});
    }
    auto points = start.points;
    double inner[3] = {1280, -0.05, 0};
    ceres::Problem problem;
    for (const auto& s : start.sights)
      problem.AddResidualBlock(new ceres::AutoDiffCostFunction<Residual, 2, 6, 3, 3>(
                                   new Residual{s.at, Vec2(start.truth.cx, start.truth.cy)}),
                               nullptr, cameras[static_cast<size_t>(s.view)].data(), inner,
                               points[static_cast<size_t>(s.point)].data());
    problem.SetParameterBlockConstant(cameras[0].data());
    ceres::Solver::Options options;
    options.linear_solver_type = ceres::SPARSE_SCHUR;
    options.num_threads = static_cast<int>(std::thread::hardware_concurrency());
    options.function_tolerance = 1e-7;
    options.max_num_iterations = 60;
    options.logging_type = ceres::SILENT;
    ceres::Solver::Summary summary;
    ceres::Solve(options, &problem, &summary);
    focal = inner[0], rounds = static_cast<double>(summary.iterations.size());
    rms = std::sqrt(2 * summary.final_cost / static_cast<double>(start.sights.size()));
  }
  state.counters["sights"] = static_cast<double>(start.sights.size());
  state.counters["rms_px"] = rms;
  state.counters["rounds"] = rounds;
  state.counters["focal_px"] = focal;
}

/// From tracks to a camera: a hundred frames, some 800 tracks, a tenth of them wrong; focal length, centre, k1 and k2
/// unknown; with the kind chosen and the evidence.
void SolveHundredFrames(benchmark::State& state) {
  const test::TrackedScene scene({.noisePx = 0.1, .count = 900, .bad = 0.1, .frames = 100});
  double rms = 0;
  for (auto _ : state) rms = scene.solve().errors.rmsPx;
  state.counters["tracks"] = static_cast<double>(scene.tracks.size());
  state.counters["rms_px"] = rms;
}
BENCHMARK(SolveHundredFrames)->Unit(benchmark::kMillisecond)->UseRealTime();

#define SIZES ->Args({100, 300, 11000})->Args({500, 1500, 89000})->Unit(benchmark::kMillisecond)->UseRealTime()
BENCHMARK(Bundle) SIZES;
BENCHMARK(CeresSparseSchur) SIZES;

}  // namespace

#include <set>

#include "core/base/error.h"
#include "core/image/movie.h"
#include "core/image/pictures.h"
#include "core/image/write.h"
#include "core/set/form.h"
#include "core/shot/source_problems.h"
#include "core/shot/trackers.h"
#include "core/solve/cull.h"

namespace zentil::shot {
namespace {

/// More frames than any shot has: a range that was typed or damaged, not one that is worked on.
constexpr int kMostFrames = 1000000;

using Say = std::function<void(const std::string&, bool, std::vector<int>)>;

void plateProblems(const Shot& shot, const PlateUse& plate, bool worked, const Say& say) {
  // The files as they are now, not as they were when the shot was made.
  try {
    const image::Plate now = image::reopened(plate.files);
    if (now.width != plate.files.width || now.height != plate.files.height)
      say(fmt::format("{}: the plate is {} x {} now; the shot was made for {} x {}: restore the old plate or start a "
                      "new shot",
                      plate.files.pattern, now.width, now.height, plate.files.width, plate.files.height),
          true, {});
    if (!now.strays.empty())
      say(fmt::format("{}: there are files of the same name with other padding, frames {}: they are not read; "
                      "rename or move them",
                      plate.files.pattern, describeFrames(now.strays)),
          false, {});
    if (!worked) return;
    if (const std::string interlaced = fieldsQuestion(shot); !interlaced.empty())
      say(fmt::format("{}: {} Use its fields as frames (Plate) before tracking", plate.files.pattern, interlaced),
          false, {});
    const std::set<int> gone(now.missing.begin(), now.missing.end());
    std::vector<int> missing;
    for (int f = shot.range.first; f <= shot.range.last; ++f)
      if (const int file = plate.fileFrame(f); !now.range.contains(file) || gone.count(file)) missing.push_back(f);
    if (!missing.empty())
      say(fmt::format("{}: frames {} have no file: restore them or shorten the range", plate.files.pattern,
                      describeFrames(missing)),
          true, missing);
  } catch (const Error& e) {
    say(e.what(), worked, {});
  }
}

void matteProblems(const Shot& shot, const matte::Matte& m, std::vector<Problem>& out) {
  for (const auto& p : m.parts) {
    if (!p.on) continue;
    if (!p.surface.empty() && !shot.surface(p.surface))
      out.push_back({fmt::format("matte \"{}\" follows a surface that is gone: choose another", m.name)});
    std::visit([&](const auto& content) { contentProblems(content, m, p, shot, out); }, p.content);
  }
}

void elementProblems(const Shot& shot, const element::Element& e, std::vector<Problem>& out) {
  const size_t before = out.size();
  if (wantsSurface(e.place) && !shot.surface(e.surface()))
    out.push_back({fmt::format("\"{}\" has no surface to land on: choose one", e.name)});
  if (const int id = regionOf(e.place); isCarried(e.place) && !wantsSurface(e.place)) {
    const auto* r = regionOf(shot, id);
    std::vector<int> lost;
    const FrameRange range = e.range.count() ? overlap(e.range, shot.range) : shot.range;
    for (int f = range.first; r && f <= range.last; ++f)
      if (!r->has(f)) lost.push_back(f);
    if (!r)
      out.push_back({fmt::format("\"{}\" follows a region that is gone: choose another", e.name)});
    else if (!lost.empty())
      out.push_back({fmt::format("\"{}\" follows {}, which was not tracked to frames {}: track it to there, or let it "
                                 "show on fewer",
                                 e.name, r->name, describeFrames(lost)),
                     true, lost});
  }
  for (const auto& c : e.cover)
    if (!shot.matte(c.matte)) out.push_back({fmt::format("\"{}\" names a matte that is gone: choose another", e.name)});
  std::visit([&](const auto& s) { sourceProblems(e, s, shot, out); }, e.source);
  // What an element lacks touches the frames that it is on.
  if (e.range.count() == 0) return;
  for (size_t i = before; i < out.size(); ++i)
    if (out[i].frames.empty())
      for (int f = std::max(e.range.first, shot.range.first); f <= std::min(e.range.last, shot.range.last); ++f)
        out[i].frames.push_back(f);
}

void cameraProblems(const Shot& shot, const Say& say) {
  if (shot.camera->empty()) say("the shot has no camera: load one as glTF or CSV", false, {});
  for (const auto& p : camera::problemsOf(*shot.camera)) say(p + ": export the camera again", true, {});
  if (!shot.camera->empty()) {
    const auto gaps = shot.camera->gaps(shot.range);
    if (!gaps.empty())
      say(fmt::format("the camera ({}) has no pose at frames {}: export it for the whole range, or shorten the range",
                      shot.camera->source, describeFrames(gaps)),
          true, gaps);
  }
  if (shot.solved)
    if (const int gone = solve::goneSince(*shot.solved, *shot.tracks); gone > 0)
      say(fmt::format("{} of the tracks that the camera was solved from are gone or off since: solve again", gone),
          false, {});
  // What the solve does not know stays true for as long as its camera is used.
  if (shot.solved)
    for (const auto& remark : shot.solved->remarks) say("the solve: " + remark, false, {});
}

void lensProblems(const Shot& shot, const Say& say) {
  if (!shot.lensProblem.empty()) say(shot.lensProblem, true, {});
  for (int f = shot.range.first; f <= shot.range.last; f += std::max(1, shot.range.count() / 8)) {
    const std::string fold = lens::foldProblem(shot.lensAt(f), shot.width, shot.height);
    if (fold.empty()) continue;
    say(fold + ": check the coefficients and the focal length they were measured with", true, {});
    break;
  }
  if (const auto height = likelyBackHeight(shot))
    say(fmt::format("the film back is {:.2f} x {:.2f} mm, {:.2f} to 1; the picture is {:.2f} to 1: make it {:.2f} mm "
                    "high, or say how wide the plate's pixels are",
                    shot.camera->backWidthMm, shot.camera->backHeightMm,
                    shot.camera->backWidthMm / shot.camera->backHeightMm, shot.aspect(), *height),
        false, {});
  if (shot.lens.squeeze != 1 && shot.plate().pixelAspect != 1)
    say(fmt::format("the lens squeezes by {:g} and the plate's pixels are {:g} wide: the width is counted twice; set "
                    "one of them to 1",
                    shot.lens.squeeze, shot.plate().pixelAspect),
        false, {});
}

void setProblems(const Shot& shot, const Say& say) {
  for (const auto& p : *shot.points)
    if (!p.at.allFinite()) {
      say("a point of the set is not a number: load the points again", true, {});
      break;
    }
  for (const auto& moving : shot.surfaces) {
    const set::Surface s = moving.at(shot.range.first);
    if (!(s.size.minCoeff() > 0) || !s.position.allFinite() || !s.turn.allFinite())
      say(fmt::format("surface \"{}\" has no size or place: set it again", s.name), true, {});
    else if ((s.turn * s.turn.transpose() - Mat3::Identity()).cwiseAbs().maxCoeff() > 1e-6)
      say(fmt::format("the rotation of surface \"{}\" is damaged: set it again", s.name), true, {});
    if (const std::string lack = set::formOf(s.kind).lacks(s); !lack.empty())
      say(fmt::format("surface \"{}\": {}", s.name, lack), true, {});
  }
}

void deliveryProblems(const Shot& shot, const Say& say) {
  const std::string files = std::filesystem::path(shot.delivery.pattern).filename().string();
  if (files.find('#') == std::string::npos)
    say(fmt::format("{}: the name has no place for the frame number: write one '#' for each digit, shot.####.exr",
                    shot.delivery.pattern),
        false, {});
  if (!image::isWritable(files))
    say(fmt::format("{}: a file of that kind cannot be delivered: its ending has to be exr, dpx, png, jpg or tif",
                    shot.delivery.pattern),
        false, {});
}

void frameProblems(const Shot& shot, const Say& say) {
  if (shot.plate().movie) {
    const auto facts = image::movieFacts(shot.plate().pattern);
    // Time stamps are rounded to the file's own ticks.
    if (facts.longestMs - facts.shortestMs > 1.5)
      say(fmt::format("{}: its frames are {:.1f} to {:.1f} ms apart; they are counted one by one, as if at {:g} fps",
                      shot.plate().pattern, facts.shortestMs, facts.longestMs, shot.plate().fps),
          false, {});
  }
  for (int f = shot.range.first; f <= shot.range.last; ++f) {
    const int file = shot.worked().fileFrame(f);
    const std::string name = shot.plate().fileOf(file);
    try {
      const image::Frame frame = image::readFrame(shot.plate(), file);
      if (frame.notNumbers)
        say(fmt::format("frame {}, {}: {} pixels are NaN or infinite; they are delivered as they are and count as "
                        "black where they are filtered",
                        f, name, frame.notNumbers),
            false, {});
    } catch (const Error& e) {
      std::error_code ec;
      if (std::filesystem::exists(name, ec)) say(e.what(), true, {f});
    }
  }
}

}  // namespace

void requireWorkable(const FrameRange& range) {
  if (static_cast<int64_t>(range.last) - range.first > kMostFrames)
    throw Error(fmt::format("the range is {} to {}, over a million frames", range.first, range.last), "Shorten it");
}

std::vector<Problem> problemsOf(const Shot& shot, bool decode) {
  std::vector<Problem> out;
  const Say say = [&](const std::string& text, bool grave, const std::vector<int>& frames) {
    out.push_back({text, grave, frames});
  };
  for (const auto& n : shot.notes) say(n, true, {});
  if (!shot.hasPlate()) {
    say("the shot has no plate: open one", true, {});
    return out;
  }
  if (shot.width < 1 || shot.height < 1) {
    say("the shot has no size: relink its plate", true, {});
    return out;
  }
  if (shot.range.count() == 0) say("the range is empty: give a first and a last frame", true, {});
  if (static_cast<int64_t>(shot.range.last) - shot.range.first > kMostFrames) {
    say(fmt::format("the range is {} to {}, over a million frames: shorten it", shot.range.first, shot.range.last),
        true, {});
    return out;
  }
  for (const auto& p : shot.plates) plateProblems(shot, p, p.id == shot.worked().id, say);
  if (!shot.workingPlate.empty() && !shot.plateUse(shot.workingPlate))
    say("the plate that is worked on is gone: choose another", true, {});
  cameraProblems(shot, say);
  lensProblems(shot, say);
  setProblems(shot, say);
  const size_t underneath = out.size();
  for (const auto& m : shot.mattes) matteProblems(shot, m, out);
  for (const auto& e : shot.elements)
    if (e.on) elementProblems(shot, e, out);
  for (size_t i = underneath; i < out.size(); ++i) out[i].ofLayers = true;
  deliveryProblems(shot, say);
  if (decode) frameProblems(shot, say);
  return out;
}

}  // namespace zentil::shot

// What is said of the shot itself: plate, lens, tracking, camera body, solve.
#include <fmt/format.h>

#include <cmath>

#include "core/camera/film_back.h"
#include "core/image/colour.h"
#include "core/wording/recipe.h"

namespace zentil::wording {

Sentence plateRecipe(const Shot& shot, int frame) {
  const SettingWords w(shot, frame);
  const std::string path = "plates." + shot.worked().id + ".files.";
  const image::Plate& files = shot.plate();
  std::vector<std::pair<std::string, std::string>> spaces;
  for (const auto& c : image::colourSpaces()) spaces.emplace_back(c, c);
  Sentence s = {SettingWords::plain("Work on frames"),
                w.number("range.first"),
                SettingWords::plain("to"),
                w.number("range.last"),
                SettingWords::plain("at"),
                w.number(path + "fps"),
                SettingWords::plain("read as"),
                SettingWords::special(path + "colourSpace", files.colourSpace, spaces, files.colourSpace),
                SettingWords::plain("its pixels"),
                w.number(path + "pixelAspect"),
                SettingWords::plain("times as wide as they are high.")};
  // As short as it can be said: 24, 23.976; 1, 1.5.
  s[5].text = fmt::format("{:g} fps,", std::round(files.fps * 1000) / 1000);
  s[7].text += ",";
  s[9].text = fmt::format("{:g}", files.pixelAspect);
  if (files.fieldsSaid != image::Fields::Whole || files.fields != image::Fields::Whole) {
    static const std::vector<std::pair<std::string, std::string>> kFields = {
        {"whole", "whole."}, {"upper first", "as fields, upper first."}, {"lower first", "as fields, lower first."}};
    s.push_back(SettingWords::plain("Its frames are read"));
    s.push_back(SettingWords::special("plate.fields", nameOf(files.fields), kFields, "whole."));
  }
  if (isStill(shot)) {
    Word held;
    held.kind = Word::Kind::Number, held.key = "plate.held";
    held.value = files.range.count(), held.least = 1, held.most = 1000000;
    held.text = fmt::format("{} frame{}.", files.range.count(), files.range.count() == 1 ? "" : "s");
    s.push_back(SettingWords::plain("It is one picture, held for"));
    s.push_back(held);
  }
  return s;
}

Sentence trackRecipe(const Shot& shot, int frame) {
  const SettingWords w(shot, frame);
  const auto& t = shot.tracking;
  Word size = w.number("tracking.follow.patternRadiusPx");
  size.key = "tracking.size";
  size.value = 2 * t.follow.half + 1, size.least = 7, size.most = 101, size.step = 2;
  size.text = fmt::format("{} px", 2 * t.follow.half + 1);
  std::vector<std::pair<std::string, std::string>> where = {{"", "everywhere."}};
  for (const auto& m : shot.mattes) {
    where.emplace_back(m.id, "outside " + m.name + ".");
    where.emplace_back("+" + m.id, "inside " + m.name + ".");
  }
  return {SettingWords::plain("Follow"),
          w.number("tracking.follow.count"),
          SettingWords::plain("features a frame,"),
          size,
          SettingWords::plain("wide,"),
          w.number("tracking.follow.spacing"),
          SettingWords::plain("apart,"),
          w.number("tracking.follow.strength"),
          SettingWords::plain("times the grain, for"),
          w.number("tracking.follow.least"),
          SettingWords::plain("or more,"),
          SettingWords::special("tracking.where", (t.onlyInside && !t.matte.empty() ? "+" : "") + t.matte, where,
                                "everywhere.")};
}

Sentence lensRecipe(const Shot& shot, int frame) {
  const SettingWords w(shot, frame);
  const auto& l = shot.lens;
  const bool division = l.model == lens::Model::Division;
  Sentence s = {SettingWords::plain("Distortion:"),
                w.choice("lens.model", {"Brown-Conrady", "division (strong barrel)"})};
  s.back().text = division ? "division:" : "Brown-Conrady:";
  const auto now = l.coefficientsAt(frame);
  const char* names[] = {"k1", "k2", "k3", "p1", "p2"};
  for (size_t i = 0; i < (division ? 2 : 5); ++i) {
    s.push_back(SettingWords::plain(names[i]));
    Word x;
    x.kind = Word::Kind::Number;
    x.key = std::string("lens.") + names[i];
    x.value = now[i], x.least = -10, x.most = 10, x.step = 0.001;
    x.text = fmt::format("{:.4f}", now[i]);
    s.push_back(x);
  }
  return s;
}

Sentence lensForm(const Shot& shot, int frame) {
  const SettingWords w(shot, frame);
  const auto& l = shot.lens;
  Sentence s = {SettingWords::plain("The plate is squeezed"), w.number("lens.squeeze")};
  s.back().text = l.squeeze == 1 ? std::string("not at all,") : fmt::format("{:g} times,", l.squeeze);
  if (l.squeeze != 1) {
    s.push_back(SettingWords::plain("about a line"));
    s.push_back(w.number("lens.squeezeCentrePx"));
    s.push_back(SettingWords::plain("right of the centre,"));
  }
  s.push_back(SettingWords::plain("and the lens"));
  s.push_back(
      SettingWords::special("lens.keyed", l.keys.empty() ? "0" : "1",
                            {{"0", "stays the same."},
                             {"1", l.keys.empty() ? std::string("changes over the shot.")
                                                  : fmt::format("changes, by {} keys,", l.keys.all().size())}}));
  if (!l.keys.empty())
    s.push_back(SettingWords::special("lens.keyHere", l.keys.has(frame) ? "1" : "0",
                                      {{"0", "none on this frame."}, {"1", "one on this frame."}}));
  return s;
}

Sentence bodyRecipe(const Shot& shot, int frame) {
  const SettingWords w(shot, frame);
  const auto& c = *shot.camera;
  std::vector<std::pair<std::string, std::string>> formats;
  for (const auto& b : camera::filmBacks()) formats.emplace_back(b.name, b.name);
  Sentence s = {SettingWords::plain("Film back"),
                SettingWords::special("camera.filmBack", camera::filmBackName(c.backWidthMm, c.backHeightMm), formats,
                                      "of its own"),
                w.number("camera.backWidthMm"), SettingWords::plain("by"), w.number("camera.backHeightMm")};
  s[1].text += ",";
  s.back().text += ",";
  s.push_back(SettingWords::plain("rows read"));
  s.push_back(w.number("camera.readout"));
  s.back().text = c.readout == 0 ? "at once" : "over " + s.back().text;
  s.back().text += c.empty() ? "," : ".";
  if (!c.empty()) return s;
  s.push_back(SettingWords::plain("focal length"));
  s.push_back(w.number("camera.focalMm"));
  if (c.focalMm > 0)
    s.back().text += ".";
  else
    s.back().text = "not known.", s.back().value = c.backWidthMm;
  return s;
}

Sentence objectRecipe(const Shot& shot, int frame) {
  const SettingWords w(shot, frame);
  Sentence s = {SettingWords::plain("An object is"), w.thing("objectMatte"), SettingWords::plain("at first"),
                w.number("objectDistanceM"), SettingWords::plain("away.")};
  s[1].text = (shot.objectMatte.empty() ? "" : "what is inside ") + s[1].text + ",";
  if (!(shot.objectDistanceM > 0)) s[3].text = shot.points->empty() ? "3 m" : "as far as the set";
  return s;
}

Sentence solveRecipe(const Shot& shot, int frame) {
  const SettingWords w(shot, frame);
  Word task = w.choice("solveSettings.task",
                       {"Find the camera,", "Refine the camera that is here,", "Check the camera that is here"});
  // Without a camera there is nothing to refine or to check.
  if (shot.camera->empty()) task.choices.resize(1);
  if (shot.solveSettings.task == solve::Task::Check)
    return {task, SettingWords::plain("by the tracks: it stays, and the errors are shown.")};
  Sentence out = {task, SettingWords::plain("which"),
                  w.choice("solveSettings.kind", {"moves or turns as the tracks say;", "moves;", "turns on a tripod;",
                                                  "moves in front of one plane;"}),
                  SettingWords::plain("focal length"),
                  w.choice("solveSettings.focal",
                           {"solved, one for the shot,", "as known,", "solved on every frame,", "about as known,"})};
  if (shot.solveSettings.focal == solve::Focal::About) {
    out.push_back(SettingWords::plain("\u00b1"));
    out.push_back(w.number("solveSettings.focalSigmaMm"));
    out.back().text += ",";
  }
  out.push_back(SettingWords::plain("rows read"));
  out.push_back(w.choice("solveSettings.shutter", {"at once,", "as known,", "over a solved time,"}));
  for (Word& word : Sentence{SettingWords::plain("lens:"), w.choice("solveSettings.k1", {"k1 fixed,", "k1 solved,"}),
                             w.choice("solveSettings.k2", {"k2 fixed,", "k2 solved,"}),
                             w.choice("solveSettings.centre", {"optical centre fixed,", "optical centre solved,"}),
                             w.choice("solveSettings.pixelAspect", {"pixel aspect fixed.", "pixel aspect solved."})})
    out.push_back(std::move(word));
  return out;
}

}  // namespace zentil::wording

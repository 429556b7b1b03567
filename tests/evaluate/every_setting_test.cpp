// Every described setting of a shot of all kinds, changed one at a time: a picture that changes has another key, and
// what is said to touch no pixels leaves the key as it is.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cstring>
#include <nlohmann/json.hpp>

#include "core/edit/edits.h"
#include "core/edit/make.h"
#include "core/edit/matte_kinds.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/write.h"
#include "core/shot/shot_json.h"
#include "core/value/path.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using nlohmann::json;

namespace {

constexpr int kFrame = 1002;

/// A small shot with an element of every kind, and a matte with a part of every kind.
shot::Shot ofEveryKind(const test::Folder& folder, comp::RenderCache& cache) {
  auto s = test::walkAlongWall(folder, 3, 128, 72);
  test::addPatch(s, 1001, 1001, 20, 12, 70, 50, 2);
  s.mattes[0].name = "outline";
  image::Picture still(128, 72, 4, 0.5f);
  for (int y = 0; y < 72; ++y)
    for (int x = 0; x < 128; ++x) still.pixel(x, y)[0] = static_cast<float>(x) / 128;
  for (const char* name :
       {"still.exr", "cg.1001.exr", "cg.1002.exr", "cg.1003.exr", "matte.1001.exr", "matte.1002.exr", "matte.1003.exr"})
    image::writePicture(folder / name, still, {});
  const edit::ChosenThings on{"", "s1"};
  edit::addFromFiles(s, "picture", (folder / "still.exr").string(), on, kFrame);
  edit::addFromFiles(s, "cg", (folder / "cg.1001.exr").string(), on, kFrame);
  const json edits = {
      {{"element", "fill"}, {"on", "s1"}, {"frame", kFrame}, {"as", {{"cover", {{{"matte", "m1"}}}}}}},
      {{"element", "checker"}, {"on", "s1"}, {"frame", kFrame}},
      {{"element", "plain colour"}, {"on", "s1"}, {"frame", kFrame}, {"as", {{"cover", {{{"matte", "m1"}}}}}}},
      {{"element", "shadow"}, {"on", "s1"}, {"frame", kFrame}, {"as", {{"cover", {{{"matte", "m1"}}}}}}},
      {{"element", "paint"}, {"on", "s1"}, {"frame", kFrame}, {"as", {{"id", "paint"}}}},
      {{"stroke", "paint"}, {"along", {{30, 30}, {60, 36}}}},
      {{"keyed", "luma"}, {"matte", "m1"}},
      {{"keyed", "chroma"}, {"matte", "m1"}},
  };
  edit::apply(s, edits, {cache, folder.path()});
  edit::coverWithPictures(s, s.elements[0].id, (folder / "matte.1001.exr").string(), kFrame);
  // Each is seen through those above it.
  for (auto& e : s.elements) e.look.opacity = 0.5;
  return s;
}

/// The shot's settings by path, those that are JSON of their own and what they consist of.
void pathsIn(const json& j, const std::string& path, std::vector<std::string>& out) {
  if (!path.empty()) out.push_back(path);
  const auto under = [&](const std::string& name) { return path.empty() ? name : path + "." + name; };
  if (j.is_object()) {
    for (const auto& [key, value] : j.items()) pathsIn(value, under(key), out);
  } else if (j.is_array()) {
    for (size_t i = 0; i < j.size(); ++i)
      if (j[i].is_object()) pathsIn(j[i], under(j[i].value("id", std::to_string(i))), out);
    if (!j.empty() && j[0].is_number())
      for (const char* component : {"r", "g", "b", "x", "y", "z"}) out.push_back(under(component));
  }
}

/// Other values that a setting may have, as JSON.
std::vector<json> othersOf(const value::Setting& setting) {
  const value::Shown shown = setting.shown(kFrame);
  const auto& about = shown.about;
  using Is = value::Shown::Is;
  std::vector<json> out;
  const double step = std::max(about.step / about.factor, 1e-3 * std::abs(shown.kept));
  if (shown.is == Is::Number)
    out = {shown.kept + step, shown.kept - step};
  else if (shown.is == Is::Whole)
    out = {std::lround(shown.kept) + 1, std::lround(shown.kept) - 1};
  else if (shown.is == Is::YesNo)
    out = {!(shown.kept != 0)};
  else if (shown.is == Is::Name)
    for (const auto& name : shown.names) out.push_back(name);
  else if (shown.is == Is::Text && std::strlen(about.refers) > 0)
    for (const char* id : {"s1", "s2", "m1", "e1", "e2"}) out.push_back(id);
  else if (shown.is == Is::Text && !about.isFile)
    out = {shown.text + "x"};
  return out;
}

/// The key of the frame; what is wrong with it where it cannot be evaluated.
std::string keyOf(const shot::Shot& s, std::vector<std::string>* failed = nullptr) {
  try {
    return fmt::format("{:x}", evaluate::ShotEvaluator::of(s)->output(kFrame, failed).key);
  } catch (const std::exception& e) {
    return e.what();
  }
}

decltype(image::Picture::values) picture(const shot::Shot& s, comp::RenderCache& cache) {
  try {
    std::vector<std::string> failed;
    const auto evaluator = evaluate::ShotEvaluator::of(s);
    return output::outputPicture(*evaluator, evaluator->output(kFrame, &failed), cache, map::Filter::Sharp, true,
                                 &failed)
        .values;
  } catch (const std::exception&) {
    return {};
  }
}

TEST(EverySetting, ChangesTheKeyWhereItChangesThePictureAndNotWhereItTouchesNone) {
  const test::Folder folder;
  comp::RenderCache cache(test::kBudget);
  const shot::Shot s = ofEveryKind(folder, cache);
  std::vector<std::string> failed;
  const std::string key = keyOf(s, &failed);
  ASSERT_TRUE(failed.empty()) << failed.front();
  const auto before = picture(s, cache);
  ASSERT_FALSE(before.empty());
  std::vector<std::string> paths;
  pathsIn(shot::toJson(s, folder.path()), "", paths);
  int changed = 0, others = 0, quiet = 0;
  for (const std::string& path : paths) {
    const auto there = value::find(s, path);
    if (!there || path == "id" || path.ends_with(".id")) continue;
    for (const json& other : othersOf(*there)) {
      shot::Shot next = s;
      try {
        value::setJson(next, path, other, {}, folder.path());
      } catch (const Error&) {
        continue;  // beyond its limits
      }
      if (next == s) continue;
      std::vector<std::string> wrong;
      const std::string now = keyOf(next, &wrong);
      ++others;
      if (!there->about().pixels) {
        ++quiet;
        // A range says on which frames, and not what; a removal matte what fills leave out. Neither is in a key of its
        // own, and what follows from it is.
        const bool elsewhere = path.find("range.") != std::string::npos || path.ends_with(".removal");
        if (now != key && !elsewhere) {
          EXPECT_NE(picture(next, cache), before) << path << " = " << other << " changes the key and not the picture";
        }
      } else if (now != key) {
        ++changed;
      } else {
        // Made anew: nothing that an earlier picture left in the cache may answer.
        comp::RenderCache fresh(test::kBudget);
        EXPECT_EQ(picture(next, fresh), before) << path << " = " << other << " changes the picture and not its key";
      }
    }
  }
  fmt::print("{} paths, {} changes: {} give another key, {} touch no pixels\n", paths.size(), others, changed, quiet);
  // A shot of every kind has some hundred settings that touch pixels.
  EXPECT_GT(changed, 100);
  EXPECT_GT(quiet, 30);
}

}  // namespace

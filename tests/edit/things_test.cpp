// What is done to things whatever they are: names, copies, order, and taking them to another shot.
#include "core/edit/things.h"

#include <gtest/gtest.h>

#include "core/edit/edits.h"
#include "core/edit/make.h"
#include "core/edit/paste.h"
#include "core/edit/plates.h"
#include "core/edit/trackers.h"
#include "core/shot/trackers.h"
#include "core/wording/recipe.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

/// The wall, named, with a patch on it.
shot::Shot patched(const test::Folder& folder) {
  auto s = test::walkAlongWall(folder, 3);
  s.surfaces[0].name = "wall";
  test::addPatch(s, 1001, 1001, 60, 40, 260, 140);
  s.elements[0].name = "Patch on wall";
  s.mattes[0].name = "Patch on wall outline";
  return s;
}

std::string elementOf(const shot::Shot& s) { return "elements." + s.elements[0].id; }

TEST(Things, NamesThatWereNotChosenByHandFollow) {
  const test::Folder folder;
  auto s = patched(folder);
  comp::RenderCache cache(test::kBudget);
  edit::apply(s, {{{"rename", "surfaces.s1"}, {"to", "brick"}}}, {cache, folder.path()});
  EXPECT_EQ(s.elements[0].name, "Patch on brick");
  EXPECT_EQ(s.mattes[0].name, "Patch on brick outline");
  edit::apply(s, {{{"rename", elementOf(s)}, {"to", "sign gone"}}, {{"rename", "surfaces.s1"}, {"to", "wall"}}},
              {cache, folder.path()});
  EXPECT_EQ(s.elements[0].name, "sign gone") << "a name that was chosen stays";
  EXPECT_EQ(s.mattes[0].name, "sign gone outline");
  EXPECT_EQ(test::errorOf([&] { edit::rename(s, "surfaces.s1", "  "); }), "a name has to say something. Type one.");
}

TEST(Things, ACopyHasMattesOfItsOwnAndAFreeName) {
  const test::Folder folder;
  auto s = patched(folder);
  const auto made = edit::duplicate(s, {elementOf(s), "surfaces.s1"});
  ASSERT_EQ(made.size(), 2U);
  ASSERT_EQ(s.elements.size(), 2U);
  EXPECT_EQ(s.elements[1].name, "Patch on wall 2");
  EXPECT_EQ(edit::nameOf(s, made[1]), "wall 2");
  ASSERT_EQ(s.mattes.size(), 2U);
  EXPECT_NE(s.elements[1].matte(), s.elements[0].matte());
  test::drawn(s, 1).shapes.clear();
  EXPECT_FALSE(test::drawn(s, 0).shapes.empty()) << "drawing in the copy's matte leaves the first one's alone";
  EXPECT_EQ(edit::nameOf(s, edit::duplicate(s, {made[1]}).front()), "wall 3");
}

TEST(Things, SeveralGoTogetherOrNoneDoes) {
  const test::Folder folder;
  auto s = patched(folder);
  const auto before = s;
  EXPECT_NE(test::errorOf([&] { edit::remove(s, {"surfaces.s1"}); }).find("lands on this surface"), std::string::npos);
  EXPECT_NE(test::errorOf([&] {
              edit::remove(s, {elementOf(s), "surfaces.s9"});
            }).find("there is no"),
            std::string::npos);
  EXPECT_TRUE(s == before);
  edit::remove(s, {"surfaces.s1", elementOf(s), "mattes." + s.mattes[0].id});
  EXPECT_TRUE(s.surfaces.empty() && s.elements.empty() && s.mattes.empty());
  EXPECT_NE(test::errorOf([&] { edit::remove(s, {"plates." + s.worked().id}); }).find("worked on"), std::string::npos);
}

TEST(Things, APlateThatGoesLeavesNoRoleBehind) {
  const test::Folder folder;
  auto s = patched(folder);
  const auto id = edit::addPlate(s, s.plate().fileOf(1001), "take two");
  s.trackedPlate = s.depthPlate = id;
  edit::remove(s, {"plates." + id});
  EXPECT_EQ(s.plates.size(), 1U);
  EXPECT_TRUE(s.trackedPlate.empty() && s.depthPlate.empty());
}

TEST(Things, TheOrderIsTheOneSaid) {
  const test::Folder folder;
  auto s = patched(folder);
  edit::duplicate(s, {elementOf(s)});
  edit::duplicate(s, {elementOf(s)});
  const std::string last = "elements." + s.elements[2].id;
  edit::move(s, last, 0);
  EXPECT_EQ(edit::placeOf(s, last), 0);
  edit::move(s, last, 99);
  EXPECT_EQ(edit::placeOf(s, last), 2);
}

TEST(Things, AnotherShotGetsWhatAnElementNeeds) {
  const test::Folder folder, elsewhere;
  const auto s = patched(folder);
  auto other = test::walkAlongWall(elsewhere, 3);
  other.surfaces[0].name = "another wall";
  other.surfaces[0].position.put(1001, Vec3(0, 0, -1));
  const auto text = nlohmann::json::parse(edit::copied(s, {elementOf(s)}).dump());
  const auto made = edit::paste(other, text);
  ASSERT_EQ(made.things.size(), 1U);
  EXPECT_EQ(made.words, "1 surface and 1 matte came along.");
  ASSERT_EQ(other.surfaces.size(), 2U) << "its own s1 is another wall: the patch's came along";
  EXPECT_EQ(other.elements[0].surface(), other.surfaces[1].id);
  EXPECT_EQ(other.surfaces[1].name, "wall");
  ASSERT_EQ(other.mattes.size(), 1U);
  EXPECT_EQ(other.elements[0].matte(), other.mattes[0].id);
  EXPECT_EQ(test::drawn(other).shapes, std::get<matte::RotoShapes>(s.mattes[0].parts[0].content).shapes);
  // Into the shot it came from: the surface is there already.
  auto same = s;
  edit::paste(same, text);
  EXPECT_EQ(same.surfaces.size(), 1U);
  EXPECT_EQ(same.elements.size(), 2U);
}

TEST(Things, EverythingReferredToKeepsWhatItReferredTo) {
  // Two cards with parts of a matte each, copied into a shot whose own ids are the other way round.
  const test::Folder folder, elsewhere;
  auto s = patched(folder);
  for (const char* id : {"s2", "s3"}) {
    s.surfaces.emplace_back(test::surface(set::SurfaceKind::Plane, Vec3(0, 0, 1), Vec3(1, 1, 1), id));
    s.surfaces.back().name = std::string(id) == "s2" ? "box card" : "cable card";
  }
  for (const char* id : {"s2", "s3"}) {
    matte::Part p;
    p.id = std::string("p") + id, p.follows = matte::Follows::Surface, p.surface = id;
    s.mattes[0].parts.push_back(p);
  }
  matte::Matte removal;
  removal.id = "m9", removal.name = "stand", removal.removal = true;
  s.mattes.push_back(removal);
  const auto text = edit::copied(s, {"surfaces.s3", "surfaces.s2", elementOf(s)});
  auto other = test::walkAlongWall(elsewhere, 3);
  other.surfaces[0].name = "slip";
  other.surfaces.emplace_back(test::surface(set::SurfaceKind::Plane, Vec3(0, 0, 2), Vec3(1, 1, 1), "s2"));
  edit::paste(other, text);
  const auto* m = other.matte(other.elements.back().matte());
  ASSERT_TRUE(m);
  const auto follows = [&](size_t part) { return other.surface(m->parts[m->parts.size() - 2 + part].surface)->name; };
  EXPECT_EQ(follows(0), "box card");
  EXPECT_EQ(follows(1), "cable card");
  EXPECT_TRUE(std::any_of(other.mattes.begin(), other.mattes.end(), [](const auto& x) { return x.removal; }))
      << "the removal matte came along";
  EXPECT_TRUE(other.camera->poses == test::walkAlongWall(elsewhere, 3).camera->poses);
}

TEST(Things, LensAndCameraComeWhereTheyAreAskedFor) {
  const test::Folder folder, elsewhere;
  auto s = patched(folder);
  s.lens.k1 = -0.123;
  auto other = test::walkAlongWall(elsewhere, 3);
  other.camera = std::make_shared<camera::CameraPath>();
  const auto text = edit::copied(s, {elementOf(s)});
  edit::paste(other, text);
  EXPECT_TRUE(other.camera->empty());
  EXPECT_NE(edit::paste(other, text, {true}).words.find("Lens and camera came along"), std::string::npos);
  EXPECT_EQ(other.lens.k1, -0.123);
  EXPECT_TRUE(other.camera->poses == s.camera->poses);
}

TEST(Things, APlateThatIsNotHereIsNamed) {
  const test::Folder folder, elsewhere;
  auto s = patched(folder);
  std::get<element::Patch>(s.elements[0].source).plate = edit::addPlate(s, s.plate().fileOf(1001), "take two");
  auto other = test::walkAlongWall(elsewhere, 3);
  EXPECT_NE(edit::paste(other, edit::copied(s, {elementOf(s)})).words.find("Plate"), std::string::npos);
}

TEST(Things, TrackersAndRegionsToo) {
  const test::Folder folder;
  auto s = patched(folder);
  const int t = edit::addTracker(s, 1001, {40, 40});
  const int r = edit::addRegion(s, 1001, {{20, 20}, {80, 20}, {80, 60}});
  const std::string tracker = "trackers." + std::to_string(t), region = "regions." + std::to_string(r);
  edit::rename(s, tracker, "corner of the door");
  EXPECT_EQ(edit::nameOf(s, tracker), "corner of the door");
  const auto made = edit::duplicate(s, {tracker, region});
  EXPECT_EQ(edit::nameOf(s, made[0]), "corner of the door 2");
  EXPECT_EQ(s.regions.size(), 2U);
  const auto text = edit::copied(s, {tracker, region});
  edit::remove(s, {tracker, region, made[0], made[1]});
  EXPECT_TRUE(s.tracks->empty() && s.regions.empty());
  EXPECT_EQ(edit::paste(s, text).things.size(), 2U);
  ASSERT_EQ(s.tracks->size(), 1U);
  EXPECT_EQ(s.tracks->front().hand->name, "corner of the door");
}

TEST(Things, WhatIsNoneIsRefused) {
  const test::Folder folder;
  auto s = patched(folder);
  const auto before = s;
  for (const auto& text : {nlohmann::json(), nlohmann::json(3), nlohmann::json{{"zentil", "else"}},
                           nlohmann::json{{"zentil", "things of a shot"}, {"things", 1}}})
    EXPECT_FALSE(test::errorOf([&] { edit::paste(s, text); }).empty());
  auto damaged = edit::copied(s, {elementOf(s)});
  damaged["things"][0]["as"]["look"]["opacity"] = "much";
  EXPECT_NE(test::errorOf([&] { edit::paste(s, damaged); }).find("damaged"), std::string::npos);
  EXPECT_TRUE(s == before);
}

}  // namespace
}  // namespace zentil

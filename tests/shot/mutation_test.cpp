// Thousands of damaged shot files through reading, checking and one frame. ZENTIL_MUTATIONS says how many (2,000).
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/resource.h>

#include <chrono>
#include <fstream>
#include <random>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/edit/trackers.h"
#include "core/shot/shot_json.h"
#include "core/shot/trackers.h"
#include "tests/support/making.h"
#include "tests/support/some.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using nlohmann::json;

namespace {

/// A small shot with something of everything.
shot::Shot fullShot(const test::Folder& folder) {
  auto s = test::walkAlongWall(folder, 3, 64, 36);
  test::addPatch(s, 1003, 1001, 20, 10, 44, 26, 3);
  s.elements[0].look.opacity.key(1001, 1, value::Between::Smooth);
  s.elements[0].look.opacity.key(1003, 0.5);
  element::Element board;
  board.id = "e2", board.name = "board";
  board.source = element::Checker{};
  board.place = element::OnSurface{"s1"};
  s.elements.push_back(board);
  set::Surface box;
  box.id = "s2", box.name = "box", box.kind = set::SurfaceKind::Box, box.position = Vec3(0, 1, 1),
  box.size = Vec3(0.5, 0.5, 0.5);
  s.surfaces.emplace_back(box);
  s.surfaces[1].position.key(1002, Vec3(0, 1, 1));
  s.points = std::make_shared<std::vector<set::Point>>(
      std::vector<set::Point>{{Vec3(1, 2, 3), 0.25, 40, 1}, {Vec3(0, 2, 0), 0.2, 3, 2}});
  s.lines = {{"l1", "", 1001, true, false, {Vec2(1, 2), Vec2(30, 4), Vec2(60, 5)}}};
  s.constraints = {{set::WorldConstraint::Kind::Scale, {1, 2}, 2.5}};
  edit::addTracker(s, 1001, {20, 20}, "t");
  edit::addRegion(s, 1001, {{4, 4}, {20, 4}, {20, 20}}, "r");
  s.lens.keys.put(1001, {-0.08, 0, 0, 0, 0});
  return s;
}

/// All places of a document, each as the keys that lead there.
void collect(const json& j, const json::json_pointer& at, std::vector<json::json_pointer>& out) {
  out.push_back(at);
  if (j.is_object())
    for (const auto& [k, v] : j.items()) collect(v, at / k, out);
  if (j.is_array())
    for (size_t i = 0; i < std::min<size_t>(j.size(), 4); ++i) collect(j[i], at / i, out);
}

class Damage {
 public:
  explicit Damage(unsigned seed) : random_(seed) {}

  /// Changes one to three places; `where` names what was changed.
  void apply(json& j, std::string& where) {
    for (unsigned n = 1 + pick(3); n > 0; --n) {
      std::vector<json::json_pointer> places;
      collect(j, json::json_pointer(), places);
      if (places.size() < 2) return;
      const auto at = places[1 + pick(places.size() - 1)];
      where += at.to_string() + " ";
      if (pick(5) == 0)
        remove(j, at);
      else
        j[at] = value(j[at]);
    }
  }

 private:
  size_t pick(size_t n) { return std::uniform_int_distribution<size_t>(0, n - 1)(random_); }
  void remove(json& j, const json::json_pointer& at) {
    json& above = j[at.parent_pointer()];
    if (above.is_array() && !above.empty())
      above.erase(std::min<size_t>(std::stoul(at.back()), above.size() - 1));
    else if (above.is_object())
      above.erase(at.back());
  }
  json value(const json& old) {
    if (old.is_number() && pick(2)) {
      const double v = old.get<double>();
      const double tries[] = {-v,   v * 1e6, v + 1,  0,      -1,  1e9, -1e9, 2147483648.0,
                              1e15, 1e300,   -1e300, 5e-324, 0.5, 4e9, 3};
      return tries[pick(std::size(tries))];
    }
    switch (pick(12)) {
      case 0:
        return nullptr;
      case 1:
        return true;
      case 2:
        return "";
      case 3:
        return std::string(3000, 'x');
      case 4:
        return "../../../../etc/passwd";
      case 5:
        return json::array();
      case 6:
        return json::object();
      case 7:
        return json::array({1, "two", nullptr});
      case 8:
        return old.is_array() && !old.empty() ? json::array({old[0], old[0], old[0], old[0], old[0]}) : json(7);
      case 9:
        return json{{"kind", "none of them"}};
      case 10:
        return json{{"keys", json::array({json::array({1001, old, "smooth"}), json::array({2e9, old})})}};
      default:
        return 1e308;
    }
  }
  std::mt19937 random_;
};

}  // namespace

TEST(Mutation, DamagedShotsAreReadCheckedAndBuiltOrRefusedInWords) {
  const test::Folder folder;
  shot::save(fullShot(folder), folder / "a.zentil");
  const json whole = json::parse(readText(folder / "a.zentil"));
  const char* asked = std::getenv("ZENTIL_MUTATIONS");
  const int count = asked ? std::atoi(asked) : 2000;
  auto cache = std::make_unique<comp::RenderCache>(size_t{50} << 20);
  double slowest = 0;
  int noted = 0, built = 0, refused = 0;
  for (int i = 0; i < count; ++i) {
    if (i % 200 == 0) cache = std::make_unique<comp::RenderCache>(size_t{50} << 20);
    json j = whole;
    std::string where;
    Damage damage(static_cast<unsigned>(i) + 1);
    damage.apply(j, where);
    const auto start = std::chrono::steady_clock::now();
    // Now and then as bytes, cut or with one of them changed.
    std::string text = j.dump();
    if (i % 10 == 9) {
      text[static_cast<size_t>(i) * 7919 % text.size()] = static_cast<char>(i * 31);
      if (i % 20 == 19) text.resize(text.size() * (static_cast<size_t>(i) % 97) / 97);
    }
    std::ofstream(folder / "m.zentil") << text;
    try {
      const auto s = shot::load(folder / "m.zentil");
      noted += !s.notes.empty();
      for (const auto& n : s.notes) ASSERT_EQ(n.find('"'), 0U) << i << ": a note begins with its key: " << n;
      // What is wrong is named by its key, or by one above it.
      if (!s.notes.empty() && i % 10 != 9) {
        bool named = false;
        std::string part;
        for (const char c : where + " ")
          if (c == '/' || c == ' ') {
            named = named || (!part.empty() && s.notes.front().find(part) != std::string::npos);
            part.clear();
          } else {
            part += c;
          }
        EXPECT_TRUE(named) << i << ": " << where << " is not named by " << s.notes.front();
      }
      shot::problemsOf(s, false);
      try {
        test::buildFrame(s, s.range.contains(1002) ? 1002 : s.range.first, *cache);
        ++built;
      } catch (const Error& e) {
        EXPECT_GT(std::string(e.what()).size(), 10U);
        ++refused;
      }
    } catch (const Error& e) {
      EXPECT_NE(std::string(e.what()).find("m.zentil"), std::string::npos) << e.what();
      ++refused;
    } catch (const std::exception& e) {
      ADD_FAILURE() << i << ": " << where << " brought a library's own message: " << e.what();
    }
    const double took = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    EXPECT_LT(took, test::seconds(5)) << i << ": " << where;
    slowest = std::max(slowest, took);
  }
  rusage use{};
  getrusage(RUSAGE_SELF, &use);
  std::printf("%d damaged shots: %d with notes, %d built, %d refused; slowest %.2f s, at most %ld MB\n", count, noted,
              built, refused, slowest, use.ru_maxrss / 1024);
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
  constexpr long kMost = 3 * 1024 * 1024;  // what a watched heap keeps back
#else
  constexpr long kMost = 1024 * 1024;
#endif
  EXPECT_LT(use.ru_maxrss, kMost) << "kilobytes";
  EXPECT_GT(built, count / 10);
}

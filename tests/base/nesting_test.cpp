// Files that nest without end are refused in words by every reader; what programs write is not.
#include "core/base/nesting.h"

#include <gtest/gtest.h>

#include "core/base/files.h"
#include "core/base/json_file.h"
#include "core/camera/camera_file.h"
#include "core/lens/lens_file.h"
#include "core/set/points.h"
#include "core/shot/shot_json.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

std::string repeated(const std::string& what, int times) {
  std::string out;
  for (int i = 0; i < times; ++i) out += what;
  return out;
}

TEST(Nesting, AHundredThousandLevelsAreRefusedByEveryReader) {
  constexpr int kLevels = 100000;
  const test::Folder folder;
  const std::string open = repeated("[", kLevels), close = repeated("]", kLevels);
  const auto write = [&](const std::string& name, const std::string& text) {
    writeText(folder / name, text);
    return folder / name;
  };
  const auto refused = [](const std::function<void()>& read) {
    EXPECT_NE(test::errorOf(read).find("nested"), std::string::npos) << test::errorOf(read);
  };
  const auto json = write("a.json", open + close);
  refused([&] { readJson(json); });
  const auto shot = write("a.zentil", R"({"type": "zentil-shot", "version": 2, "more": )" + open + close + "}");
  refused([&] { shot::load(shot); });
  const auto lens = write("b.json", R"({"type": "zentil-lens", "k1": )" + open + close + "}");
  refused([&] { lens::readLens(lens.string(), 320, 180); });
  const auto yaml = write("c.yml", "%YAML:1.0\n---\na: " + open + close + "\n");
  refused([&] { lens::readLens(yaml.string(), 320, 180); });
  const auto dashes = write("d.yml", "%YAML:1.0\n---\na:\n   " + repeated("- ", kLevels) + "1\n");
  refused([&] { lens::readLens(dashes.string(), 320, 180); });
  const auto xml = write("e.xml", "<?xml version=\"1.0\"?><opencv_storage>" + repeated("<a>", kLevels) +
                                      repeated("</a>", kLevels) + "</opencv_storage>");
  refused([&] { lens::readLens(xml.string(), 320, 180); });
  const auto gltf = write("f.gltf", R"({"asset": {"version": "2.0"}, "extras": )" + open + close + "}");
  refused([&] { camera::readCamera(gltf, {}); });
  refused([&] { set::readPoints(gltf); });
  refused([&] { set::readMesh(gltf); });
  const std::string part = R"({"asset": {"version": "2.0"}, "extras": )" + open + close + "}";
  std::string glb = "glTF" + std::string("\2\0\0\0", 4);
  for (const auto n : {static_cast<uint32_t>(20 + part.size()), static_cast<uint32_t>(part.size())})
    glb.append(reinterpret_cast<const char*>(&n), 4);
  const auto binary = write("g.glb", glb + "JSON" + part);
  refused([&] { set::readMesh(binary); });
  const auto dae =
      write("h.dae", "<COLLADA>" + repeated("<node>", kLevels) + repeated("</node>", kLevels) + "</COLLADA>");
  refused([&] { camera::readCamera(dae, {}); });
}

TEST(Nesting, WhatProgramsWriteIsRead) {
  refuseDeepNesting(repeated("[", 60) + repeated("]", 60), "a");
  refuseDeepNesting("\"" + repeated("[", 5000) + "\\\" [[[\"", "brackets in a text are no levels");
  refuseDeepNesting(repeated("<a/>", 5000) + repeated("<a></a>", 5000), "one beside the other");
}

}  // namespace
}  // namespace zentil

// Files by their buttons: a camera, points, a mesh; unsaved edits that are left; a 2:1 plate that does not say what it
// shows.
#include <QPushButton>
#include <filesystem>
#include <fstream>

#include "core/camera/camera_file.h"
#include "core/exchange/write.h"
#include "core/image/write.h"
#include "tests/app/window.h"
#include "tests/support/making.h"

namespace zentil {
namespace {

using test::waitFor;
using test::Window;

TEST(FilesWindow, ACameraPointsAndAMeshAreLoadedByTheirButtonsAndUndone) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder);
  // What another shot exported.
  auto other = s;
  auto path = std::make_shared<camera::CameraPath>(*s.camera);
  path->centreOffsetPx = Vec2::Zero();
  for (auto& [f, pose] : path->poses) pose.position += Vec3(0, 0.25, 0);
  other.camera = path;
  other.points = std::make_shared<std::vector<set::Point>>(
      std::vector<set::Point>{{Vec3(1, 2, 0)}, {Vec3(0, 1, -1)}, {Vec3(0.5, 1, 0)}});
  std::string camera, points;
  for (const auto& f : exchange::exportShot(other, folder / "exported").files) {
    if (f.extension() == ".csv" && f.string().find("camera") != std::string::npos) camera = f.string();
    if (f.extension() == ".ply") points = f.string();
  }
  std::ofstream(folder / "crate.obj") << "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0.5\nf 1 2 3\nf 1 3 4\n";
  Window w(s, folder);
  w.station("Camera");
  test::answerDialog(camera);
  w.click("loadCamera");
  ASSERT_TRUE(waitFor([&] { return w.shot().camera->poses != s.camera->poses; }, 10000)) << w.notice().toStdString();
  EXPECT_NEAR(w.shot().cameraAt(1003).position.y(), s.cameraAt(1003).position.y() + 0.25, 1e-6);
  w.station("Set");
  test::answerDialog(points);
  w.click("loadPoints");
  ASSERT_TRUE(waitFor([&] { return w.shot().points->size() == 3; }, 10000)) << w.notice().toStdString();
  test::answerDialog((folder / "crate.obj").string());
  w.click("addMesh");
  ASSERT_TRUE(waitFor([&] { return w.shot().surfaces.size() == 2; }, 10000)) << w.notice().toStdString();
  EXPECT_EQ(w.shot().surfaces[1].kind, set::SurfaceKind::Mesh);
  // A file that is none of these is refused in words, and nothing changes.
  const auto before = w.shot();
  std::ofstream(folder / "broken.obj") << "this is no mesh\n";
  test::answerDialog((folder / "broken.obj").string());
  w.click("addMesh");
  ASSERT_TRUE(waitFor([&] { return w.notice().contains("broken.obj"); }, 10000));
  EXPECT_TRUE(w.shot() == before);
  for (int i = 0; i < 3; ++i) w.session().undo();
  EXPECT_TRUE(w.shot() == s);
}

TEST(FilesWindow, UnsavedEditsThatAreLeftAreGone) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder);
  const std::string file = (folder / "test.zentil").string();
  shot::save(s, file);
  auto edited = s;
  edited.name = "edited";
  shot::save(edited, app::Session::autosaveOf(QString::fromStdString(file)).toStdString());
  Window w(file);
  ASSERT_FALSE(w.session().recoverable().isEmpty());
  w.click("discardRecovery");
  EXPECT_TRUE(w.session().recoverable().isEmpty());
  EXPECT_EQ(w.shot().name, s.name);
  EXPECT_FALSE(std::filesystem::exists(app::Session::autosaveOf(QString::fromStdString(file)).toStdString()));
}

TEST(FilesWindow, ATwoToOnePlateThatDoesNotSayWhatItShowsIsAskedAbout) {
  const test::Folder folder;
  for (const auto& [name, width] : {std::pair("around", 128), {"wide", 120}}) {
    std::filesystem::create_directories(folder / name);
    for (int f = 1001; f <= 1002; ++f)
      image::writePicture(folder / fmt::format("{0}/{0}.{1}.exr", name, f), image::Picture(width, 64, 4, 0.5f), {});
  }
  Window w(test::walkAlongWall(folder), folder);
  test::answerDialog((folder / "around/around.1001.exr").string());
  w.key(Qt::Key_N, Qt::ControlModifier);
  ASSERT_TRUE(waitFor([&] { return w.shot().width == 128; }, 10000)) << w.notice().toStdString();
  EXPECT_EQ(w.shot().projection, shot::Projection::Camera);
  EXPECT_TRUE(w.notice().contains("2:1")) << w.notice().toStdString();
  w.click("noticeAct");
  EXPECT_EQ(w.shot().projection, shot::Projection::Sphere);
  w.session().undo();
  EXPECT_EQ(w.shot().projection, shot::Projection::Camera);
}

TEST(FilesWindow, TheShippedProjectOpensChangesAndComesBack) {
  const test::Folder folder;
  auto s = shot::load(test::kDemo + "/boathouse.zentil");
  EXPECT_TRUE(s.notes.empty());
  for (const auto& p : shot::problemsOf(s, false)) EXPECT_FALSE(p.grave) << p.text;
  Window w(s, folder);
  w.session().setFrame(1036);
  w.station("Work");
  ASSERT_FALSE(w.shot().elements.empty());
  const std::string id = w.shot().elements.back().id;
  w.session().chooseElement(QString::fromStdString(id));
  w.click("more");
  w.type("opacity", "50");
  EXPECT_NEAR(w.shot().element(id)->look.opacity.at(1036), 0.5, 1e-9) << w.notice().toStdString();
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_TRUE(w.shot() == s);
  // Saved and read it is what it was.
  w.key(Qt::Key_S, Qt::ControlModifier);
  auto read = shot::load(w.file);
  EXPECT_TRUE(read == w.shot());
}

TEST(FilesWindow, AnInterlacedPlateIsOfferedAsFields) {
  const test::Folder folder;
  const std::string file = (folder / "fields.mpg").string();
  ASSERT_EQ(0, test::runCommand("ffmpeg -v error -y -f lavfi -i testsrc2=size=192x108:rate=50 -frames:v 20 -vf "
                                "interlace,setfield=tff -flags +ilme+ildct -c:v mpeg2video -q:v 2 " +
                                file));
  Window w(test::walkAlongWall(folder), folder);
  test::answerDialog(file);
  w.key(Qt::Key_N, Qt::ControlModifier);
  ASSERT_TRUE(waitFor([&] { return w.shot().width == 192; }, 10000)) << w.notice().toStdString();
  const int frames = w.shot().range.count();
  EXPECT_TRUE(w.notice().contains("interlaced")) << w.notice().toStdString();
  w.click("noticeAct");
  EXPECT_EQ(w.shot().range.count(), 2 * frames);
  EXPECT_EQ(w.shot().plate().fields, image::Fields::UpperFirst);
  ASSERT_TRUE(w.settle());
  // By its word at Plate, and back.
  w.station("Plate");
  w.choose("fields", "whole.");
  EXPECT_EQ(w.shot().range.count(), frames);
  w.session().undo(), w.session().undo();
  EXPECT_EQ(w.shot().range.count(), frames);
}

}  // namespace
}  // namespace zentil

// The plate is on the screen at once; what was added follows, and says so until it is there.
#include <cstdio>
#include <map>

#include "tests/app/window.h"
#include "tests/support/in_time.h"

using namespace zentil;
using test::Window;
using Shown = app::Engine::Shown;

namespace {

/// When something of each kind was first seen of a frame, ms; until it is finished.
std::map<int, qint64> seenOf(Window& w, int frame) {
  std::map<int, qint64> out;
  QElapsedTimer clock;
  clock.start();
  while (!out.count(Shown::Finished) && clock.elapsed() < 120000) {
    QTest::qWait(5);
    const Shown s = w.window.engine().shown(frame, app::Layer::Built);
    if (!s.image.isNull()) out.emplace(s.what, clock.elapsed());
  }
  return out;
}

void print(const char* what, const std::map<int, qint64>& seen) {
  const char* const names[] = {"finished", "draft", "parts", "plate", "before", "other frame"};
  std::printf("%s:", what);
  for (const auto& [kind, ms] : seen) std::printf(" %s %lld ms", names[kind], static_cast<long long>(ms));
  std::printf("\n");
}

/// Of this frame, whatever is laid on it.
qint64 firstOf(const std::map<int, qint64>& seen) {
  qint64 first = 1 << 30;
  for (const auto& [kind, ms] : seen)
    if (kind != Shown::OtherFrame && kind != Shown::Before) first = std::min(first, ms);
  return first;
}

}  // namespace

TEST(PictureFirst, ThePlateIsThereAtOnceAndTheRestFollows) {
  test::expectInTime([] {
    const test::Folder folder;
    const auto s = shot::load(test::kDemo + "/boathouse.zentil");
    QElapsedTimer clock;
    clock.start();
    Window w(s, folder, size_t{2} << 30);
    const qint64 opened = clock.elapsed();
    const auto seen = seenOf(w, w.session().frame());
    std::printf("opened after %lld ms; ", static_cast<long long>(opened));
    print("the demo, nothing kept", seen);
    // A frame further on: its plate at once, its fills are put together already.
    w.session().setFrame(w.session().frame() + 7);
    const auto next = seenOf(w, w.session().frame());
    print("another frame", next);
    // On the screen within a second, beside other work; what follows is printed, and has no limit yet.
    return opened + firstOf(seen) < 1000 && firstOf(next) < 300;
  });
}

TEST(PictureFirst, WhatIsNotReadyIsMarkedAndNothingOfAnotherFrameIsShownUnmarked) {
  const test::Folder folder;
  Window w(shot::load(test::kDemo + "/boathouse.zentil"), folder, size_t{2} << 30);
  auto& engine = w.window.engine();
  const int frame = w.session().frame();
  bool awaited = false;
  ASSERT_TRUE(test::waitFor([&] {
    const Shown s = engine.shown(frame, app::Layer::Built);
    for (const auto& e : w.shot().elements) awaited = awaited || engine.isAwaited(frame, QString::fromStdString(e.id));
    EXPECT_TRUE(s.what == Shown::Finished || s.image.isNull() || !w.window.cameraView().upToDate());
    return s.what == Shown::Finished && !s.image.isNull();
  }));
  EXPECT_TRUE(awaited);
  for (const auto& e : w.shot().elements) EXPECT_FALSE(engine.isAwaited(frame, QString::fromStdString(e.id)));
  // Going on and back at once: what was made for the frame in between is given up, and the picture is this frame's.
  w.session().setFrame(frame + 20);
  QTest::qWait(30);
  w.session().setFrame(frame);
  const Shown back = engine.shown(frame, app::Layer::Built);
  EXPECT_EQ(back.what, Shown::Finished);
  EXPECT_EQ(back.frame, frame);
  ASSERT_TRUE(w.settle(60000));
}

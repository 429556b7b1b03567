// zentil: the application.
#include <QApplication>
#include <QCommandLineParser>
#include <QElapsedTimer>
#include <QFileInfo>
#include <cstdio>

#include "app/widgets/style.h"
#include "app/window/main_window.h"

using namespace zentil::app;

namespace {

void chooseById(Session& s, const QString& id) {
  switch (s.station()) {
    case Station::Set:
      s.chooseSurface(id), s.chooseSpot(s.shot().spot(id.toStdString()) ? id : QString());
      break;
    case Station::Track:
      s.chooseTracker(id.toInt()), s.chooseRegion(id.toInt());
      break;
    case Station::Camera:
      s.chooseTracker(id.toInt());
      break;
    default:
      s.chooseElement(id);
  }
}

void showAs(MainWindow& window, const QStringList& names) {
  Session& s = window.session();
  View v = s.view();
  for (const QString& name : names) {
    if (name == "straight") v.straight = true;
    if (name == "grid") v.grid = true;
    if (name == "steady") v.steady = true;
    if (name == "delivered") v.delivered = true;
    if (name == "errors") v.errors = true;
    if (name == "held") v.held = true;
    if (name == "wipe") v.compare = Compare::Wipe;
    if (name == "difference") v.compare = Compare::Difference;
    if (name == "first") v.against = s.shot().range.first;
    if (name == "set") s.setViewing(Viewing::Set);
    if (name == "both") s.setViewing(Viewing::Both);
    if (name == "help" || name == "shortcuts")
      for (QAction* a : window.actions())
        if (a->shortcut() == QKeySequence(name == "help" ? "F1" : "?")) a->trigger();
  }
  s.setView(v);
}

/// Everything that is on its way is there before the picture is taken.
bool saveWhenReady(MainWindow& window, const QString& file) {
  constexpr int kLongestMs = 120000, kSettleMs = 10000;
  window.engine().settle(kLongestMs);
  window.player().lookAhead();
  window.engine().settle(kLongestMs);
  QElapsedTimer wait;
  wait.start();
  while (wait.elapsed() < kSettleMs && !window.setView().settled())
    QApplication::processEvents(QEventLoop::AllEvents, 20);
  for (int i = 0; i < 20; ++i) QApplication::processEvents(QEventLoop::AllEvents, 20);
  if (!window.grab().save(file)) {
    std::fprintf(stderr, "zentil: %s cannot be written\n", qPrintable(file));
    return false;
  }
  std::printf("%s\n", qPrintable(QFileInfo(file).absoluteFilePath()));
  return true;
}

}  // namespace

int main(int argc, char** argv) {
  QElapsedTimer clock;
  clock.start();
  QApplication app(argc, argv);
  QApplication::setApplicationName("zentil");
  QApplication::setOrganizationName("zentil");
  QApplication::setApplicationVersion("0.1");
  QCommandLineParser args;
  args.setApplicationDescription("Everything you add to a shot stays locked to it.");
  args.addHelpOption();
  args.addPositionalArgument("files", "A shot, or a plate with its camera, lens and points.");
  const QCommandLineOption picture("picture", "Save a picture of the window and end.", "file");
  const QCommandLineOption frame("frame", "Go to a frame.", "n");
  const QCommandLineOption station("station", "Open a station.", "name");
  const QCommandLineOption view("view",
                                "camera, set, both, straight, grid, errors, held, wipe, difference, first (what it is "
                                "compared with), help, shortcuts "
                                "(several with commas).",
                                "names");
  const QCommandLineOption choose("choose", "Choose an element, surface, spot, tracker or region by its id.", "id");
  const QCommandLineOption size("size", "The window's size.", "WxH");
  const QCommandLineOption timing("timing", "Print when the first picture is on the screen.");
  const QCommandLineOption memory("memory", "Cache budget, MB.", "n", "3000");
  for (const auto& o : {picture, frame, station, view, choose, size, timing, memory}) args.addOption(o);
  args.process(app);
  zentil::style::apply(app);

  MainWindow window(args.value(memory).toULongLong() << 20);
  if (args.isSet(timing)) {
    // Two paints of the picture that is asked for, not of its stand-in.
    QObject::connect(
        &window.cameraView(), &CameraView::framePainted, &window, [&window, &clock, said = false](int f) mutable {
          if (said || !window.cameraView().upToDate()) return;
          said = true;
          std::printf("first picture (frame %d) after %lld ms\n", f, static_cast<long long>(clock.elapsed()));
          std::fflush(stdout);
        });
  }
  if (const QStringList wh = args.value(size).split('x'); wh.size() == 2) window.resize(wh[0].toInt(), wh[1].toInt());
  window.takeFiles(args.positionalArguments());
  window.show();
  // What the other words are about has to be open.
  while (window.engine().jobs().reads()) QApplication::processEvents(QEventLoop::WaitForMoreEvents, 20);
  Session& s = window.session();
  if (!window.cameBack() && !s.shot().elements.empty()) s.setStation(Station::Work);
  if (args.isSet(frame)) s.setFrame(args.value(frame).toInt());
  for (int i = 0; i < 7; ++i)
    if (titleOf(static_cast<Station>(i)).compare(args.value(station), Qt::CaseInsensitive) == 0)
      s.setStation(static_cast<Station>(i));
  if (args.isSet(choose)) chooseById(s, args.value(choose));
  showAs(window, args.value(view).split(','));
  if (!args.isSet(picture)) return QApplication::exec();

  if (!saveWhenReady(window, args.value(picture))) return 1;
  // The picture is all that was asked for: no question about edits.
  std::fflush(stdout);
  return 0;
}

// What the window does with files: asking for them, loading, dropping, saving.
#include <QDropEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QTimer>
#include <filesystem>

#include "app/document/file_names.h"
#include "app/widgets/lens_library_dialog.h"
#include "app/widgets/station_parts.h"
#include "app/window/main_window.h"
#include "core/base/error.h"
#include "core/edit/flat_view.h"
#include "core/edit/lens.h"
#include "core/edit/make.h"
#include "core/edit/move.h"
#include "core/edit/new_shot.h"
#include "core/edit/plates.h"
#include "core/lens/lens_library.h"
#include "core/shot/shot_json.h"
#include "core/wording/recipe.h"

namespace zentil::app {
namespace {

bool isOneOf(const QString& file, std::initializer_list<const char*> endings) {
  for (const char* e : endings)
    if (file.endsWith(QLatin1String(e), Qt::CaseInsensitive)) return true;
  return false;
}

}  // namespace

FileWish FileWish::of(const QString& key) {
  static const std::map<QString, For> kKeys = {
      {"source.files", For::SourceFiles}, {"source.picture", For::CleanPicture}, {"source.returned", For::SendOut}};
  const auto it = kKeys.find(key);
  if (it == kKeys.end())
    throw Error(fmt::format("\"{}\" asks for no file", key.toStdString()), "This is a fault of the program");
  return {it->second};
}

namespace {

using For = FileWish::For;

/// How a file is asked for.
struct Question {
  enum class How { One, Several, Folder, Name } how;
  const char* title;
  QStringList endings = {};  ///< without the dot
};

Question questionFor(For what) {
  static const QStringList kPictures = {"exr", "dpx", "cin", "tif", "tiff", "png", "jpg", "jpeg",
                                        "jp2", "hdr", "tga", "bmp", "pgm",  "ppm", "pnm", "webp"},
                           kMovies = {"mov", "mp4",  "m4v", "mkv", "avi", "mxf", "webm", "mpg", "mpeg",
                                      "m2v", "m2ts", "mts", "ts",  "vob", "wmv", "ogv",  "dv",  "y4m"};
  using How = Question::How;
  switch (what) {
    case For::Shot:
      return {How::One, QT_TR_NOOP("Open a shot"), {"zentil"}};
    case For::NewShot:
    case For::ThisPlate:
    case For::AnotherPlate:
      return {How::One, QT_TR_NOOP("Open a plate"), kPictures + kMovies};
    case For::Camera:
      return {How::One, QT_TR_NOOP("Load a camera"), {"csv", "gltf", "glb", "dae", "usda"}};
    case For::Lens:
      return {How::One, QT_TR_NOOP("Load a lens"), {"json", "yml", "yaml", "xml"}};
    case For::Points:
      return {How::One, QT_TR_NOOP("Load points"), {"ply", "gltf", "glb", "obj"}};
    case For::Mesh:
      return {How::One, QT_TR_NOOP("Load a mesh"), {"obj", "ply", "gltf", "glb"}};
    case For::NewElement:
    case For::SourceFiles:
      return {How::One, QT_TR_NOOP("Choose one of its frames"), kPictures};
    case For::Boards:
      return {How::Several, QT_TR_NOOP("Choose pictures of a checkerboard"), kPictures};
    case For::StMaps:
      return {How::Several, QT_TR_NOOP("Choose an ST map, or the pair"), {"exr", "tif", "tiff"}};
    case For::FlatShot:
      return {How::One, QT_TR_NOOP("Take the camera of a flat view's shot"), {"zentil"}};
    case For::Move:
      return {How::One,
              QT_TR_NOOP("Take the move of another shot, or of a camera's file"),
              {"zentil", "csv", "gltf", "glb", "dae", "usda"}};
    case For::Blank:
      return {How::Folder, QT_TR_NOOP("Choose the folder for a shot without a plate")};
    case For::ExportFolder:
      return {How::Folder, QT_TR_NOOP("Export into a folder")};
    case For::LensFolder:
      return {How::Folder, QT_TR_NOOP("Write the lens into a folder")};
    case For::StraightFolder:
      return {How::Folder, QT_TR_NOOP("Write straight plates into a folder")};
    case For::SendOut:
      return {How::Name, QT_TR_NOOP("Write the picture for a painter"), {"exr", "tif", "tiff", "png"}};
    case For::Delivery:
      return {How::Name, QT_TR_NOOP("Deliver to (write #### for the frame number)")};
    case For::CleanPicture:
    case For::MattePictures:
    case For::LensLibrary:
      break;
  }
  return {How::One, QT_TR_NOOP("Choose a picture"), kPictures};
}

}  // namespace

void MainWindow::askFile(const FileWish& wish) {
  if ((wish.what == For::NewShot || wish.what == For::Shot || wish.what == For::Blank) && !mayLeave()) return;
  if (wish.what == For::LensLibrary) return askLensLibrary();
  const Question q = questionFor(wish.what);
  const QString start = folderOf(*session_);
  const QString filter =
      q.endings.isEmpty() ? QString() : tr("Files (%1);;All files (*)").arg("*." + q.endings.join(" *."));
  constexpr auto kOwn = QFileDialog::DontUseNativeDialog;
  QStringList files;
  switch (q.how) {
    case Question::How::One:
      files = QStringList{QFileDialog::getOpenFileName(this, tr(q.title), start, filter, nullptr, kOwn)};
      break;
    case Question::How::Several:
      files = QFileDialog::getOpenFileNames(this, tr(q.title), start, filter, nullptr, kOwn);
      break;
    case Question::How::Folder:
      files =
          QStringList{QFileDialog::getExistingDirectory(this, tr(q.title), start, QFileDialog::ShowDirsOnly | kOwn)};
      break;
    case Question::How::Name:
      files = QStringList{askName(this, *session_, tr(q.title),
                                  wish.what == For::Delivery ? QString::fromStdString(session_->shot().delivery.pattern)
                                                             : session_->element() + "_paint.exr",
                                  {}, Existing::AskedLater)};
      break;
  }
  files.removeAll(QString());
  if (files.isEmpty()) return;
  if (wish.what == For::Boards)
    engine_->jobs().calibrate(files);
  else if (wish.what == For::StMaps)
    loadStMaps(files);
  else
    loadFile(wish, files.front());
}

void MainWindow::askLensLibrary() {
  // The database is read once, which takes a while.
  engine_->jobs().read(tr("Reading the lens database"), [this](const Job&) -> TaskQueue::Apply {
    lens::searchLibrary("");
    return [this] { QTimer::singleShot(0, this, &MainWindow::chooseFromLensLibrary); };
  });
}

void MainWindow::chooseFromLensLibrary() {
  if (findChild<LensLibraryDialog*>()) return;  // asked for twice
  const auto& camera = *session_->shot().camera;
  LensLibraryDialog dialog(camera.empty() && !(camera.focalMm > 0) ? 0 : camera.focalAt(session_->frame()),
                           lens::cropOf(camera.backWidthMm, camera.backHeightMm), this);
  if (dialog.exec() == QDialog::Accepted) takeLibraryLens(dialog.chosen());
}

bool MainWindow::loadIntoShot(const FileWish& wish, const QString& given) {
  const std::string file = QFileInfo(given).absoluteFilePath().toStdString();
  const QString name = QFileInfo(given).fileName(), load = tr("load %1").arg(name);
  auto& jobs = engine_->jobs();
  switch (wish.what) {
    case For::ThisPlate:
      jobs.load(tr("replace the plate"),
                [file](shot::Shot& s) { edit::relinkPlate(s, std::string(s.worked().id), file); });
      break;
    case For::AnotherPlate:
      jobs.load(tr("add a plate"), [file](shot::Shot& s) { edit::addPlate(s, file, ""); });
      break;
    case For::Camera:
      jobs.load(load, [file](shot::Shot& s) { edit::loadCamera(s, file); });
      break;
    case For::Lens:
      jobs.load(load, [file](shot::Shot& s) { edit::loadLens(s, file); });
      break;
    case For::Points:
      jobs.load(load, [file](shot::Shot& s) { edit::loadPoints(s, file); });
      break;
    case For::Mesh:
      jobs.load(load, [file](shot::Shot& s) { edit::addMesh(s, file); });
      break;
    case For::FlatShot:
      jobs.load(tr("take a flat view's camera"), [file](shot::Shot& s) { edit::takeFlatCamera(s, file); });
      break;
    case For::Move:
      jobs.load(tr("take the move of %1").arg(name), [file](shot::Shot& s) { edit::takeMove(s, file); });
      break;
    default:
      return false;
  }
  return true;
}

bool MainWindow::loadIntoElement(const FileWish& wish, const QString& given) {
  const std::string file = QFileInfo(given).absoluteFilePath().toStdString();
  const std::string elementId = session_->element().toStdString();
  const int frame = session_->frame();
  const QString load = tr("load %1").arg(QFileInfo(given).fileName());
  auto& jobs = engine_->jobs();
  switch (wish.what) {
    case For::CleanPicture:
      jobs.load(load, [=, cache = engine_->sharedCache()](shot::Shot& s) {
        edit::takeCleanPicture(s, elementId, file, frame, *cache);
      });
      break;
    case For::NewElement: {
      const auto made = std::make_shared<std::string>();
      const edit::ChosenThings on{elementId, session_->surface().toStdString()};
      jobs.load(
          load,
          [=, kind = wish.kind.toStdString()](shot::Shot& s) { *made = edit::addFromFiles(s, kind, file, on, frame); },
          [this, made] {
            if (session_->shot().element(*made)) session_->chooseElement(QString::fromStdString(*made));
          });
      break;
    }
    case For::SourceFiles:
      jobs.load(load, [=](shot::Shot& s) { edit::replaceFiles(s, elementId, file); });
      break;
    case For::MattePictures:
      jobs.load(load, [=](shot::Shot& s) { edit::coverWithPictures(s, elementId, file, frame); });
      break;
    default:
      return false;
  }
  return true;
}

bool MainWindow::writeInto(const FileWish& wish, const QString& given) {
  const std::string file = QFileInfo(given).absoluteFilePath().toStdString();
  switch (wish.what) {
    case For::LensFolder:
      engine_->jobs().writeLens(given);
      break;
    case For::StraightFolder:
      engine_->jobs().writeStraight(given);
      break;
    case For::ExportFolder:
      session_->change(tr("change the export folder"), [&](shot::Shot& s) { s.exportSettings.folder = file; });
      session_->allowDelivery(QString::fromStdString(file + "/x"));
      break;
    case For::SendOut:
      engine_->jobs().sendOut(session_->element(), given);
      break;
    case For::Delivery:
      session_->change(tr("deliver elsewhere"), [&](shot::Shot& s) { s.delivery.pattern = file; });
      session_->allowDelivery(QString::fromStdString(file));
      break;
    default:
      return false;
  }
  return true;
}

void MainWindow::loadFile(const FileWish& wish, const QString& given) {
  // What is read from a file is read in the background.
  if (loadIntoShot(wish, given) || loadIntoElement(wish, given) || writeInto(wish, given)) return;
  const std::string file = QFileInfo(given).absoluteFilePath().toStdString();
  switch (wish.what) {
    case For::Shot:
      openShot(given);
      break;
    case For::NewShot:
      newShotFrom(file);
      break;
    case For::Blank:
      engine_->jobs().read(tr("Writing a blank plate"), [this, file](const Job&) -> TaskQueue::Apply {
        const auto made = std::make_shared<shot::Shot>(edit::blankShot(file, 1920, 1080, 100, 24));
        return [this, made] {
          session_->replace(*made, {});
          session_->setStation(Station::Plate);
        };
      });
      break;
    case For::LensLibrary:
      takeLibraryLens(given);
      break;
    case For::Boards:
      engine_->jobs().calibrate({given});
      break;
    case For::StMaps:
      loadStMaps({given});
      break;
    default:
      break;
  }
}

void MainWindow::openShot(const QString& file) {
  engine_->jobs().read(tr("Opening %1").arg(QFileInfo(file).fileName()), [this, file](const Job&) -> TaskQueue::Apply {
    const auto read = std::make_shared<Session::Opened>(Session::read(file));
    return [this, read] { session_->take(*read); };
  });
}

void MainWindow::recover() {
  engine_->jobs().read(tr("Recovering edits"), [this, file = session_->recoverable()](const Job&) -> TaskQueue::Apply {
    const auto found = std::make_shared<shot::Shot>(shot::load(file.toStdString()));
    return [this, file, found] {
      if (session_->recoverable() == file) session_->takeRecovered(*found);
    };
  });
}

void MainWindow::newShotFrom(const std::string& file) {
  engine_->jobs().read(tr("Opening the plate"), [this, file](const Job&) -> TaskQueue::Apply {
    const auto made = std::make_shared<shot::Shot>(edit::newShot({file, {}, {}, {}, 0}));
    return [this, made] {
      session_->replace(*made, {});
      session_->setStation(Station::Camera);
      if (const auto question = shot::sphereQuestion(session_->shot()); !question.empty())
        showOffer(QString::fromStdString(question), tr("It shows all around"),
                  [this] { changeWord(session_, "projection", "sphere", false); });
      else if (const auto fields = shot::fieldsQuestion(session_->shot()); !fields.empty())
        showOffer(QString::fromStdString(fields), tr("Use fields as frames"),
                  [this] { changeWord(session_, "plate.fields", nameOf(session_->shot().plate().fieldsSaid), false); });
    };
  });
}

void MainWindow::loadStMaps(const QStringList& given) {
  QStringList files = given;
  const auto isUndistort = [](const QString& f) {
    const QString n = QFileInfo(f).completeBaseName().toLower();
    return n.contains("undist") || n.contains("straighten") || n.contains("unwarp");
  };
  if (files.size() > 2) {
    session_->say(tr("An ST map lens has two maps at the most: undistort and redistort."));
    return;
  }
  if (files.size() == 2 && isUndistort(files[0]) == isUndistort(files[1])) {
    session_->say(
        tr("The names do not say which of the two is the undistort map: one name needs \"undistort\" in it."));
    return;
  }
  lens::StMapFiles maps;
  for (const QString& f : files) (isUndistort(f) ? maps.undistort : maps.redistort) = f.toStdString();
  engine_->jobs().readStMaps(maps);
}

void MainWindow::takeLibraryLens(const QString& name) {
  session_->change(tr("take a lens from the database"), [&](shot::Shot& s) {
    const double offPx = edit::takeLibraryLens(s, name.toStdString(), session_->frame());
    if (offPx > 0.5)
      session_->say(tr("Its equation is another one; ours follows it within %1 px.").arg(offPx, 0, 'f', 1));
  });
}

void MainWindow::takeFiles(const QStringList& files) {
  for (int i = 0; i < files.size(); ++i) {
    const QString& f = files[i];
    const bool opensShot = isOneOf(f, {".zentil"}), opensPlate = !opensShot && takesAsPlate(f);
    if (opensShot || opensPlate) {
      if (!mayLeave()) continue;
      loadFile({opensShot ? For::Shot : For::NewShot}, f);
      // What the others are depends on what this one brings.
      engine_->jobs().afterReading([this, rest = files.mid(i + 1)] { takeFiles(rest); });
      return;
    }
    if (isOneOf(f, {".csv"}))
      loadFile({For::Camera}, f);
    else if (isOneOf(f, {".gltf", ".glb"}))
      loadFile({session_->shot().camera->empty() ? For::Camera : For::Mesh}, f);
    else if (isOneOf(f, {".json", ".yml", ".yaml", ".xml"}))
      loadFile({For::Lens}, f);
    else if (isOneOf(f, {".ply"}))
      loadFile({For::Points}, f);
    else if (isOneOf(f, {".obj"}))
      loadFile({For::Mesh}, f);
    else if (session_->station() != Station::Work)
      loadFile({For::AnotherPlate}, f);
    else
      loadFile({For::CleanPicture}, f);
  }
}

bool MainWindow::takesAsPlate(const QString& file) const {
  return session_->shot().plate().empty() &&
         !isOneOf(file, {".csv", ".gltf", ".glb", ".json", ".yml", ".yaml", ".xml", ".ply", ".obj"});
}

void MainWindow::save() {
  if (session_->file().isEmpty())
    saveAs();
  else if (!session_->changedBeneath())
    session_->saveTo(session_->file());
  else
    saveOver();
}

void MainWindow::saveOver() {
  QMessageBox box(
      QMessageBox::NoIcon, tr("Zentil"),
      tr("%1 was written to by something else since it was opened here.").arg(QFileInfo(session_->file()).fileName()),
      QMessageBox::NoButton, this);
  box.setObjectName("changedBeneath");
  auto* other = box.addButton(tr("Save under another name"), QMessageBox::AcceptRole);
  auto* over = box.addButton(tr("Save over it"), QMessageBox::DestructiveRole);
  box.addButton(tr("Do not save"), QMessageBox::RejectRole);
  box.exec();
  if (box.clickedButton() == other) saveAs();
  if (box.clickedButton() == over) session_->saveTo(session_->file(), true);
}

void MainWindow::saveAs() {
  const QString called = QString::fromStdString(session_->shot().name).replace('/', '_');
  const QString name =
      session_->file().isEmpty() ? (called.isEmpty() ? tr("shot") : called) + ".zentil" : session_->file();
  const QString f = askName(this, *session_, tr("Save the shot"), name, "zentil");
  if (!f.isEmpty()) session_->saveTo(f);
}

bool MainWindow::mayLeave() {
  if (!session_->isModified()) return true;
  QMessageBox box(QMessageBox::NoIcon, tr("Zentil"),
                  tr("%1 has edits that are not saved.").arg(QString::fromStdString(session_->shot().name)),
                  QMessageBox::NoButton, this);
  auto* keep = box.addButton(tr("Save"), QMessageBox::AcceptRole);
  auto* drop = box.addButton(tr("Do not save"), QMessageBox::DestructiveRole);
  box.addButton(tr("Stay"), QMessageBox::RejectRole);
  box.exec();
  if (box.clickedButton() == keep) {
    save();
    return !session_->isModified();
  }
  if (box.clickedButton() == drop) {
    session_->dropAutosave();
    return true;
  }
  return false;
}

void MainWindow::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* e) {
  QStringList files;
  for (const QUrl& u : e->mimeData()->urls())
    if (u.isLocalFile()) files << u.toLocalFile();
  takeFiles(files);
}

}  // namespace zentil::app

// What the window does with files: asking for them, loading, dropping, saving.
#include <QDropEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <filesystem>

#include "app/lens_library_dialog.h"
#include "app/main_window.h"
#include "core/base/error.h"
#include "core/camera/camera_file.h"
#include "core/comp/straight.h"
#include "core/edit/make.h"
#include "core/edit/plates.h"
#include "core/lens/lens_file.h"
#include "core/lens/lens_library.h"
#include "core/shot/recipe.h"

namespace zentil::app {
namespace {

bool isOneOf(const QString& file, std::initializer_list<const char*> endings) {
  for (const char* e : endings)
    if (file.endsWith(QLatin1String(e), Qt::CaseInsensitive)) return true;
  return false;
}

}  // namespace

void MainWindow::askFile(const QString& what) {
  if ((what == "plate" || what == "shot") && !mayLeave()) return;
  const QString start = session_->file().isEmpty() ? QString() : QFileInfo(session_->file()).absolutePath();
  const auto ask = [&](const QString& title, const QString& filter) {
    return QFileDialog::getOpenFileName(this, title, start, filter, nullptr, QFileDialog::DontUseNativeDialog);
  };
  QString file;
  if (what == "shot")
    file = ask(tr("Open a shot"), tr("Shots (*.zentil)"));
  else if (what == "plate" || what == "this plate" || what == "another plate")
    file = ask(tr("Open a plate"),
               tr("Pictures and movies (*.exr *.dpx *.tif *.tiff *.png *.jpg *.jpeg *.mov *.mp4 *.mkv *.avi)"));
  else if (what == "camera")
    file = ask(tr("Load a camera"), tr("Cameras (*.csv *.gltf *.glb)"));
  else if (what == "lens")
    file = ask(tr("Load a lens"), tr("Lenses (*.json *.yml *.yaml *.xml)"));
  else if (what == "points")
    file = ask(tr("Load points"), tr("Points (*.ply *.gltf *.glb *.obj)"));
  else if (what == "mesh")
    file = ask(tr("Load a mesh"), tr("Meshes (*.obj *.ply *.gltf *.glb)"));
  else if (what.startsWith("new ") || what == "source.files")
    file = ask(tr("Choose a frame of the render"), tr("Pictures (*.exr *.dpx *.tif *.tiff *.png)"));
  else if (what == "lensLibrary") {
    try {
      const auto& camera = *session_->shot().camera;
      LensLibraryDialog dialog(camera.empty() && !(camera.focalMm > 0) ? 0 : camera.focalAt(session_->frame()),
                               lens::cropOf(camera.backWidthMm, camera.backHeightMm), this);
      if (dialog.exec() == QDialog::Accepted) takeLibraryLens(dialog.chosen());
    } catch (const std::exception& e) {
      session_->say(QString::fromStdString(e.what()));
    }
    return;
  } else if (what == "boards" || what == "stMaps") {
    const QStringList files = QFileDialog::getOpenFileNames(
        this, what == "boards" ? tr("Choose pictures of a checkerboard") : tr("Choose an ST map, or the pair"), start,
        what == "boards" ? tr("Pictures (*.exr *.dpx *.tif *.tiff *.png *.jpg *.jpeg)")
                         : tr("ST maps (*.exr *.tif *.tiff)"),
        nullptr, QFileDialog::DontUseNativeDialog);
    if (files.isEmpty()) return;
    if (what == "boards")
      engine_->jobs().calibrate(files);
    else
      loadStMaps(files);
    return;
  } else if (what == "lensFolder" || what == "straightFolder")
    file = QFileDialog::getExistingDirectory(
        this, what == "lensFolder" ? tr("Write the lens into a folder") : tr("Write straight plates into a folder"),
        start, QFileDialog::ShowDirsOnly | QFileDialog::DontUseNativeDialog);
  else if (what == "folder") {
    file = QFileDialog::getSaveFileName(this, tr("Deliver to (write #### where the frame number goes)"),
                                        QString::fromStdString(session_->shot().delivery.pattern), {}, nullptr,
                                        QFileDialog::DontUseNativeDialog | QFileDialog::DontConfirmOverwrite);
  } else
    file = ask(tr("Choose a picture"), tr("Pictures (*.exr *.dpx *.tif *.tiff *.png *.jpg *.jpeg)"));
  if (file.isEmpty()) return;
  if (what == "shot")
    session_->open(file);
  else
    loadFile(what, file);
}

void MainWindow::loadFile(const QString& what, const QString& given) {
  const std::string file = QFileInfo(given).absoluteFilePath().toStdString();
  if (what == "plate") {
    try {
      session_->replace(shot::newShot({file, {}, {}, {}, 0}), {});
      session_->setStation(Station::Camera);
    } catch (const std::exception& e) {
      session_->say(QString::fromStdString(e.what()));
    }
    return;
  }
  if (what == "this plate") {
    session_->change(tr("replace the plate"),
                     [&](shot::Shot& s) { edit::relinkPlate(s, std::string(s.worked().id), file); });
    return;
  }
  if (what == "another plate") {
    session_->change(tr("add a plate"), [&](shot::Shot& s) { edit::addPlate(s, file, ""); });
    return;
  }
  if (what == "lensFolder" || what == "straightFolder") {
    what == "lensFolder" ? engine_->jobs().writeLens(given) : engine_->jobs().writeStraight(given);
    return;
  }
  const std::string elementId = session_->element().toStdString();
  std::string madeId;
  session_->change(tr("load %1").arg(QFileInfo(given).fileName()), [&](shot::Shot& s) {
    if (what == "camera") {
      camera::CameraFileContext c;
      c.firstFrame = s.plate().range.first, c.fps = s.plate().fps, c.range = s.plate().range;
      if (s.height) c.aspect = double(s.width) / s.height;
      s.camera = std::make_shared<camera::CameraPath>(camera::readCamera(file, c));
    } else if (what == "lens") {
      const auto read = lens::readLens(file, s.width, s.height);
      s.lens = read.lens;
      s.lensProblem.clear();
      // A calibration also knows the body; a camera that came with poses knows better.
      if (s.camera->empty() && read.focalPx && s.width > 0 && (read.width == 0 || read.width == s.width))
        s.camera = shot::bodyFrom(*s.camera, *read.focalPx, read.centrePx, s.width, s.height);
    } else if (what == "points") {
      s.points = std::make_shared<std::vector<set::Point>>(set::readPoints(file));
    } else if (what == "mesh") {
      edit::addMesh(s, file);
    } else if (what == "picture" || what == "source.picture") {
      auto* e = s.element(elementId);
      if (!e) throw Error("no patch is chosen", "Choose the one the clean picture is for");
      shot::setWord(s, "elements." + e->id + ".source.picture", file, session_->frame());
      // Says so when its size fits neither the plate nor its straight picture.
      const auto moment = moment::Timeline::of(s)->only(e->id, session_->frame());
      for (const auto& layer : moment.layers) comp::heldFrame(moment, layer, engine_->workshop());
    } else if (what.startsWith("new ")) {
      madeId =
          edit::addFromFiles(s, what.mid(4).toStdString(), file,
                             {session_->element().toStdString(), session_->surface().toStdString()}, session_->frame());
    } else if (what == "source.files") {
      edit::replaceFiles(s, elementId, file);
    } else if (what == "mattePictures") {
      if (!s.element(elementId)) throw Error("no element is chosen", "Choose the one the matte is for");
      image::Plate pictures = image::openPlate(file);
      pictures.colourSpace = "raw";
      edit::coverWithPictures(s, elementId, pictures, session_->frame());
    } else if (what == "folder") {
      s.delivery.pattern = file;
    }
  });
  if (!madeId.empty() && session_->shot().element(madeId)) session_->chooseElement(QString::fromStdString(madeId));
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
        tr("Which of the two undistorts cannot be told from their names: one has to have \"undistort\" in it."));
    return;
  }
  lens::StMapFiles maps;
  for (const QString& f : files) (isUndistort(f) ? maps.undistort : maps.redistort) = f.toStdString();
  engine_->jobs().readStMaps(maps);
}

void MainWindow::takeLibraryLens(const QString& name) {
  session_->change(tr("take a lens from the database"), [&](shot::Shot& s) {
    if (s.camera->empty() && !(s.camera->focalMm > 0))
      throw Error("the lens counts in focal lengths, and the shot has none",
                  "Load a camera at Camera, or type the focal length there");
    const auto a = lens::fromLibrary(name.toStdString(), s.camera->focalAt(session_->frame()), s.camera->backWidthMm,
                                     s.camera->backHeightMm, s.width, s.height);
    s.lens = a.lens.lens;
    s.lensProblem.clear();
    if (a.residualPx > 0.5)
      session_->say(tr("Its equation is another one; ours follows it within %1 px.").arg(a.residualPx, 0, 'f', 1));
  });
}

void MainWindow::takeFiles(const QStringList& files) {
  for (const QString& f : files) {
    if (isOneOf(f, {".zentil"})) {
      if (mayLeave()) session_->open(f);
    } else if (isOneOf(f, {".csv"}))
      loadFile("camera", f);
    else if (isOneOf(f, {".gltf", ".glb"}))
      loadFile(session_->shot().camera->empty() ? "camera" : "mesh", f);
    else if (isOneOf(f, {".json", ".yml", ".yaml", ".xml"}))
      loadFile("lens", f);
    else if (isOneOf(f, {".ply"}))
      loadFile("points", f);
    else if (isOneOf(f, {".obj"}))
      loadFile("mesh", f);
    else if (session_->shot().plate().empty()) {
      if (mayLeave()) loadFile("plate", f);
    } else if (session_->station() != Station::Work)
      loadFile("another plate", f);
    else
      loadFile("picture", f);
  }
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
  QString f = QFileDialog::getSaveFileName(this, tr("Save the shot"), session_->file(), tr("Shots (*.zentil)"), nullptr,
                                           QFileDialog::DontUseNativeDialog);
  if (f.isEmpty()) return;
  if (!f.endsWith(".zentil")) f += ".zentil";
  session_->saveTo(f);
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

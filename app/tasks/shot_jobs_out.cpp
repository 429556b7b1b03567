// What leaves the shot for other programs, in the background.
#include <QFileInfo>

#include "app/tasks/shot_jobs.h"
#include "core/base/files.h"
#include "core/edit/cleanup.h"
#include "core/edit/flat_view.h"
#include "core/edit/paint_edit.h"
#include "core/exchange/export_choices.h"
#include "core/exchange/steadied_plate.h"
#include "core/exchange/write.h"
#include "core/output/layers.h"
#include "core/output/mattes.h"
#include "core/output/shapes.h"

namespace zentil::app {

std::optional<std::filesystem::path> ShotJobs::exportFolder() const {
  const auto& exportSettings = session_->shot().exportSettings;
  const auto own = std::filesystem::path(session_->file().toStdString()).parent_path();
  if (session_->file().isEmpty() && std::filesystem::path(exportSettings.folder).is_relative()) {
    session_->say(tr("Save the shot first, or choose a folder: exports go beside the shot."));
    return std::nullopt;
  }
  std::filesystem::path folder;
  try {
    folder = exchange::exportFolder(session_->shot(), session_->file().toStdString());
  } catch (const std::exception& e) {
    session_->say(QString::fromStdString(e.what()));
    return std::nullopt;
  }
  if (!session_->mayDeliverTo(QString::fromStdString((folder / "x").string())) && !liesWithin(folder, own)) {
    session_->say(tr("The shot exports into %1, outside its own folder: choose the folder to allow it.")
                      .arg(QString::fromStdString(folder.string())));
    return std::nullopt;
  }
  return folder;
}

void ShotJobs::deliverLayers() {
  if (waits(tr("Delivering layers"), [=, this] { deliverLayers(); })) return;
  const auto folder = exportFolder();
  if (!folder) return;
  const auto evaluator = session_->evaluator();
  run(tr("Delivering layers"), [this, evaluator, folder = *folder](const Job& job) {
    std::vector<std::string> flat;
    const auto files = output::writeLayers(*evaluator, {}, evaluator->plateFrames(), folder, *cache_, job, &flat);
    return std::function<void()>([this, files, folder, flat] {
      QString words = tr("%1 pictures are in %2.").arg(files.size()).arg(QString::fromStdString(folder.string()));
      for (const auto& name : flat)
        words += tr(" \"%1\" has no place in the set, so no depth.").arg(QString::fromStdString(name));
      session_->say(words, false);
    });
  });
}

void ShotJobs::deliverMattes(bool cutouts) {
  if (waits(tr("Delivering mattes"), [=, this] { deliverMattes(cutouts); })) return;
  const auto folder = exportFolder();
  if (!folder) return;
  const auto shot = session_->snapshot();
  const auto evaluator = session_->evaluator();
  run(tr("Delivering mattes"), [this, shot, evaluator, cutouts, folder = *folder](const Job& job) {
    std::vector<output::MatteWish> wish;
    for (const auto& m : shot->mattes) wish.push_back({m.id, m.name});
    const auto files = output::writeMattes(*evaluator, wish, cutouts, shot->exportSettings.shutterDegrees,
                                           evaluator->plateFrames(), folder, *cache_, job);
    return std::function<void()>([this, files, folder] {
      session_->say(tr("%1 pictures are in %2.").arg(files.size()).arg(QString::fromStdString(folder.string())), false);
    });
  });
}

void ShotJobs::deliverShapes() {
  if (waits(tr("Delivering shapes"), [=, this] { deliverShapes(); })) return;
  const auto folder = exportFolder();
  if (!folder) return;
  const auto shot = session_->snapshot();
  const auto evaluator = session_->evaluator();
  run(tr("Delivering shapes"), [this, shot, evaluator, folder = *folder](const Job& job) {
    std::vector<output::MatteWish> wish;
    for (const auto& m : shot->mattes) wish.push_back({m.id, m.name});
    const auto written = output::writeShapes(*evaluator, wish, evaluator->plateFrames(), folder, *cache_, job);
    return std::function<void()>([this, written, folder] {
      QString text = tr("%1 files are in %2.").arg(written.files.size()).arg(QString::fromStdString(folder.string()));
      for (const auto& n : written.notes) text += " " + QString::fromStdString(n) + ".";
      session_->say(text, !written.notes.empty());
    });
  });
}

void ShotJobs::exportShot() {
  if (waits(tr("Exporting"), [=, this] { exportShot(); })) return;
  const auto asked = exportFolder();
  if (!asked) return;
  const auto shot = session_->snapshot();
  const auto folder = *asked;
  run(tr("Exporting"), [this, shot, folder](const Job&) {
    const auto written = exchange::exportShot(*shot, folder);
    return std::function<void()>([this, written, folder] {
      QString text = tr("%1 files are in %2.").arg(written.files.size()).arg(QString::fromStdString(folder.string()));
      for (const auto& n : written.notes) text += " " + QString::fromStdString(n) + ".";
      session_->say(text, false);
    });
  });
}

std::optional<std::filesystem::path> ShotJobs::steadyFolder() const {
  if (!session_->file().isEmpty())
    return std::filesystem::path(session_->file().toStdString()).parent_path() / "steady";
  session_->say(tr("Save the shot first: the stabilised frames are written beside it."));
  return std::nullopt;
}

void ShotJobs::writeFlatPlate() {
  if (waits(tr("Writing the flat view"), [=, this] { writeFlatPlate(); })) return;
  if (session_->file().isEmpty()) {
    session_->say(tr("Save the shot first: its flat view is written beside it."));
    return;
  }
  const auto folder = std::filesystem::path(session_->file().toStdString()).parent_path() / "view";
  run(tr("Writing the flat view"),
      [this, shot = session_->snapshot(), evaluator = session_->evaluator(), folder](const Job& job) {
        const auto views = edit::flatViewsOf(*shot, evaluator->plateFrames());
        const auto file = edit::writeFlatPlate(*shot, views, folder, *cache_, job);
        return std::function<void()>([this, views, file] {
          session_->say(
              tr("%1 frames, and the shot that has them as its plate: %2. Track and solve it, then take its camera "
                 "at Camera.")
                  .arg(views.steers.size())
                  .arg(QString::fromStdString(file.string())),
              false);
        });
      });
}

void ShotJobs::deliverSteadyMaps() {
  if (waits(tr("Writing the stabilising as ST maps"), [=, this] { deliverSteadyMaps(); })) return;
  const auto folder = steadyFolder();
  if (!folder) return;
  run(tr("Writing the stabilising as ST maps"), [this, shot = session_->snapshot(), folder = *folder](const Job& job) {
    const auto files = exchange::writeStabilisationMaps(*shot, folder, job);
    return std::function<void()>([this, files, folder] {
      session_->say(tr("%1 ST maps are in %2.").arg(files.size()).arg(QString::fromStdString(folder.string())), false);
    });
  });
}

void ShotJobs::deliverSteady() {
  if (waits(tr("Delivering it stabilised"), [=, this] { deliverSteady(); })) return;
  const auto place = steadyFolder();
  if (!place) return;
  const auto shot = session_->snapshot();
  const auto folder = *place;
  run(tr("Delivering it stabilised"), [this, shot, folder](const Job& job) {
    const auto written = exchange::writeSteadiedPlate(*shot, folder, *cache_, job);
    return std::function<void()>([this, written] {
      session_->say(tr("%1 frames, and their shot: %2")
                            .arg(written.pictures.size())
                            .arg(QString::fromStdString(written.shot.string())) +
                        (written.unseen > 0 ? tr(" Up to %1% of a picture is shown by no frame and stays transparent "
                                                 "(frame %2).")
                                                  .arg(100 * written.unseen, 0, 'f', 2)
                                                  .arg(written.unseenOn)
                                            : QString()),
                    false);
    });
  });
}

void ShotJobs::sendOut(const QString& elementId, const QString& file) {
  if (waits(ofElement(tr("Writing the picture"), elementId), [=, this] { sendOut(elementId, file); })) return;
  const auto shot = session_->snapshot();
  const std::string id = elementId.toStdString();
  const std::filesystem::path to = QFileInfo(file).absoluteFilePath().toStdString();
  run(ofElement(tr("Writing the picture"), elementId), [this, shot, id, to](const Job&) {
    shot::Shot next = *shot;
    edit::sendOut(next, id, to, false, *cache_);
    const auto written = edit::paintOf(next, id);
    return std::function<void()>([this, id, written, to] {
      session_->change(tr("send it to a painter"), [&](shot::Shot& s) {
        auto& paint = edit::paintOf(s, id);
        paint.sent = written.sent, paint.returned = written.returned;
      });
      session_->say(tr("Paint on %1 and save it: your changes are read back as soon as the file is saved.")
                        .arg(QString::fromStdString(to.filename().string())),
                    false);
    });
  });
}

}  // namespace zentil::app

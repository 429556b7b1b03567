// The quieter stations: plate and deliver.
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <filesystem>

#include "app/document/looks.h"
#include "app/stations/ledger.h"
#include "app/stations/station_camera.h"
#include "app/stations/station_lens.h"
#include "app/stations/station_set.h"
#include "app/stations/station_track.h"
#include "app/stations/station_work.h"
#include "app/widgets/export_picture.h"
#include "app/widgets/sentence.h"
#include "app/widgets/sentence_list.h"
#include "app/widgets/station_parts.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/edit/flat_view.h"
#include "core/edit/plates.h"
#include "core/edit/things.h"
#include "core/exchange/export_choices.h"
#include "core/exchange/write.h"
#include "core/image/colour.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"

namespace zentil::app {
namespace {

using wording::Word;

class PlateBody : public StationBody {
 public:
  PlateBody(Session* s, Engine* e, QWidget* p)
      : StationBody(s, e, p),
        sentence_(new SentenceWidget(this)),
        roles_(new SentenceWidget(this)),
        plates_(new SentenceList(s, "plate", this)),
        note_(note(this)) {
    column()->addWidget(sentence_);
    column()->addWidget(note_);
    column()->addWidget(roles_);
    column()->addWidget(plates_);
    bindWords(session_, roles_);
    connect(plates_, &SentenceList::removed, this, [this](const QString& id) {
      session_->change(tr("take a plate away"),
                       [&](shot::Shot& shot) { edit::remove(shot, {"plates." + id.toStdString()}); });
    });
    found_ = button("takeFoundPlate", {}, tr("Everything else of the shot stays; undo brings the old place back"));
    // A long name of a folder must not make the ledger wider than it is.
    found_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    found_->setProperty("main", true);
    column()->addWidget(found_);
    connect(found_, &QPushButton::clicked, this, [this] {
      engine_->jobs().load(tr("find the plate"), [from = engine_->plateSearch().foundAt()](shot::Shot& shot) {
        edit::relinkPlate(shot, std::string(shot.worked().id), from);
      });
    });
    add_ = button(
        "addPlate", tr("Add a plate…"),
        tr("A graded or raw version, a clean plate, another take: to work on, to track on, or to take patches from"));
    column()->addWidget(add_);
    connect(add_, &QPushButton::clicked, this, [this] { emit wantsFile({FileWish::For::AnotherPlate}); });
    open_ = button("openPlate", {}, {});
    column()->addWidget(open_);
    connect(open_, &QPushButton::clicked, this, [this] {
      emit wantsFile({session_->shot().hasPlate() ? FileWish::For::ThisPlate : FileWish::For::NewShot});
    });
    blank_ = button("blankShot", tr("Begin without a plate…"),
                    tr("A transparent picture, 1920 × 1080, held for 100 frames; elements are delivered alone"));
    column()->addWidget(blank_);
    connect(blank_, &QPushButton::clicked, this, [this] { emit wantsFile({FileWish::For::Blank}); });
    bindWords(session_, sentence_);
  }
  void refresh() override {
    const auto& s = session_->shot();
    blank_->setVisible(s.plate().empty());
    for (QWidget* w : {static_cast<QWidget*>(sentence_), static_cast<QWidget*>(roles_), static_cast<QWidget*>(plates_),
                       static_cast<QWidget*>(add_)})
      w->setVisible(!s.plate().empty());
    open_->setText(s.hasPlate() ? tr("Replace this plate…") : tr("Open a plate…"));
    open_->setToolTip(s.hasPlate() ? tr("Other files in its place; everything else of the shot stays")
                                   : tr("A frame of an image sequence, or a movie"));
    refreshFound();
    if (s.plate().empty()) {
      note_->setText(tr("Open the plate first, or drop it on the window."));
      return;
    }
    sentence_->set(wording::plateRecipe(s, session_->frame()));
    note_->setText((engine_->plateSearch().isAway() ? tr("The files are not there:\n") : QString()) +
                   tr("%1\n%2 × %3, frames %4 to %5")
                       .arg(QString::fromStdString(std::filesystem::path(s.plate().pattern).filename().string()))
                       .arg(s.width)
                       .arg(s.height)
                       .arg(s.plate().range.first)
                       .arg(s.plate().range.last));
    note_->setToolTip(QString::fromStdString(s.plate().pattern));
    const wording::SettingWords w(s, session_->frame());
    wording::Sentence roles = {plain("The picture is"),
                               w.choice("projection", {"what a camera sees,", "all around, 2:1,"})};
    if (s.plates.size() > 1) {
      roles.push_back(plain("worked on in"));
      roles.push_back(w.thing("workingPlate"));
      roles.back().text += ",";
      roles.push_back(plain("tracked on in"));
      roles.push_back(w.thing("trackedPlate"));
    }
    if (s.plates.size() > 1) {
      roles.push_back(plain("depth is in"));
      roles.push_back(w.thing("depthPlate"));
      if (s.plateUse(s.depthPlate)) {
        roles.push_back(plain("as"));
        roles.push_back(w.choice("depthEncoding", {"places in the world", "distances along the view"}));
      }
    }
    roles.back().text += roles.back().text.back() == ',' ? "" : ".";
    if (roles.back().text.back() == ',') roles.back().text.back() = '.';
    roles_->set(roles);
    std::vector<SentenceList::Row> rows;
    if (s.plates.size() > 1)
      for (const auto& p : s.plates) {
        QString title = QString::fromStdString(p.name);
        if (p.id == s.worked().id) title += tr(" · worked on");
        if (p.id == s.tracked().id) title += tr(" · tracked on");
        if (p.id == s.depthPlate) title += tr(" · gives depth");
        rows.push_back({p.id, title, wording::recipeOf(s, p, session_->frame()), p.id != s.worked().id});
      }
    plates_->setList("plates");
    plates_->set(rows, {});
  }

 private:
  /// Where the plate may be that is not in its place.
  void refreshFound() {
    const auto& search = engine_->plateSearch();
    found_->setVisible(search.isAway() && !search.foundAt().empty());
    found_->setText(tr("Take it from %1")
                        .arg(QString::fromStdString(
                            relativeTo(std::filesystem::path(search.foundAt()).parent_path(), search.folder()))));
  }

  QPushButton* open_ = nullptr;
  QPushButton* blank_ = nullptr;
  QPushButton* found_ = nullptr;
  SentenceWidget *sentence_, *roles_;
  SentenceList* plates_;
  QLabel* note_;
  QPushButton* add_;
};

class DeliverBody : public StationBody {
 public:
  DeliverBody(Session* s, Engine* e, QWidget* p)
      : StationBody(s, e, p),
        sentence_(new SentenceWidget(this)),
        progress_(new QProgressBar(this)),
        note_(note(this)) {
    column()->addWidget(sentence_);
    output_ = new SentenceWidget(this);
    column()->addWidget(output_);
    lookDelivered_ =
        button("lookDelivered", tr("Look at it as delivered"),
               tr("The view and the size that are delivered; the plate's frame is drawn inside a wider one"));
    lookDelivered_->setCheckable(true);
    column()->addWidget(lookDelivered_);
    bindWords(session_, output_);
    connect(lookDelivered_, &QPushButton::clicked, this, [this] {
      View v = session_->view();
      const bool delivered = !v.delivered;
      v.lookAsShot(), v.delivered = delivered;
      session_->setView(v);
    });
    progress_->setRange(0, 1000);
    progress_->setTextVisible(false);
    progress_->setObjectName("deliveryProgress");
    note_->setObjectName("deliveryNote");
    go_ = button("deliver", tr("Deliver"), tr("Frames that are complete and up to date are kept"));
    go_->setProperty("main", true);
    stop_ = button("stopDelivery", tr("Stop"), tr("Frames that are written stay. Deliver again to continue"));
    column()->addWidget(go_);
    column()->addWidget(progress_);
    column()->addWidget(stop_);
    column()->addWidget(note_);
    export_ = new SentenceWidget(this);
    column()->addWidget(export_);
    handingPicture_ = new ExportPicture(session_, this);
    column()->addWidget(handingPicture_);
    keepAs_ = new QLineEdit(this);
    keepAs_->setObjectName("keepExportAs");
    keepAs_->setPlaceholderText(tr("a name to keep these choices by, Return"));
    column()->addWidget(keepAs_);
    connect(keepAs_, &QLineEdit::returnPressed, this, [this] {
      try {
        exchange::keepExportChoices(keepAs_->text().trimmed().toStdString(), session_->shot().exportSettings);
        session_->say(tr("Kept as \"%1\", for all shots.").arg(keepAs_->text().trimmed()), false);
        keepAs_->clear();
        keepAs_->clearFocus();
        refresh();
      } catch (const std::exception& e) {
        session_->say(QString::fromStdString(e.what()));
      }
    });
    stale_ = note(this);
    stale_->setObjectName("exportNote");
    column()->addWidget(stale_);
    hand_ =
        button("export", tr("Export"),
               tr("Camera, points, surfaces and spots for other programs: glTF, USD, COLLADA, CSV, PLY, OBJ, JSON"));
    auto* ofHanding = new QWidget(this);
    auto* handingFlow = new FlowLayout(ofHanding, 6, 6);
    mattes_ = button("deliverMattes", tr("Mattes as pictures"),
                     tr("Every matte as it covers on each frame, one picture a frame, into the folder above"));
    cutouts_ =
        button("deliverCutouts", tr("with cutouts"), tr("The same, and the plate inside each of them, premultiplied"));
    shapes_ = button("deliverShapes", tr("as shapes"),
                     tr("Their outlines, carried to every frame: SVG a frame, and one JSON file"));
    layers_ = button("deliverLayers", tr("Layers"),
                     tr("Every element by itself, as delivered: RGBA, with depth and motion for elements on surfaces"));
    for (QPushButton* b : {hand_, layers_, mattes_, cutouts_, shapes_}) handingFlow->addWidget(b);
    column()->addWidget(ofHanding);
    steady_ = new SentenceWidget(this);
    steadyNote_ = note(this);
    steadyNote_->setObjectName("steadyNote");
    column()->addWidget(steady_);
    column()->addWidget(steadyNote_);
    auto* ofSteady = new QWidget(this);
    auto* steadyFlow = new FlowLayout(ofSteady, 6, 6);
    lookSteady_ = button("lookSteady", tr("Look at it steadied"), tr("The stabilised picture, with all overlays"));
    lookSteady_->setCheckable(true);
    crop_ = button("cropSteady", {}, {});
    deliverSteady_ =
        button("deliverSteady", tr("Deliver steadied"),
               tr("The finished pictures, steadied, and a shot with the camera and the tracks that match them"));
    steadyFlow->addWidget(lookSteady_);
    steadyFlow->addWidget(crop_);
    connect(crop_, &QPushButton::clicked, this, [this] {
      const auto& s = session_->shot();
      if (shot::cropOf(s.steady, s.width, s.height) != s.frameBox()) {
        session_->change(tr("take the crop away"),
                         [](shot::Shot& shot) { shot.steady.cropFrom = shot.steady.cropTo = Vec2::Zero(); });
        return;
      }
      View v = session_->view();
      v.steady = true;
      session_->setView(v);
      session_->setTool(Tool::Crop);
      session_->say(tr("Drag across the part to deliver."), false);
    });
    steadyMaps_ = button("deliverSteadyMaps", tr("as ST maps"),
                         tr("The stabilisation for other programs: one 32-bit EXR per frame, with the lens"));
    for (QPushButton* b : {deliverSteady_, steadyMaps_}) steadyFlow->addWidget(b);
    connect(steadyMaps_, &QPushButton::clicked, this, [this] { engine_->jobs().deliverSteadyMaps(); });
    column()->addWidget(ofSteady);
    flat_ = new SentenceWidget(this);
    flat_->setObjectName("flatViewWords");
    column()->addWidget(flat_);
    auto* ofFlat = new QWidget(this);
    auto* flatFlow = new FlowLayout(ofFlat, 6, 6);
    lookFlat_ = button("lookFlat", tr("Look at it"), tr("The flat view, as it turns on each frame"));
    lookFlat_->setCheckable(true);
    auto* aim = button("aimFlat", tr("Aim it as looked at"),
                       tr("Look around in a flat view (L; Ctrl+drag, wheel), then keep that view"));
    auto* key =
        button("keyFlat", tr("Key it as looked at"), tr("The same, for this frame: between keys it turns evenly"));
    auto* write =
        button("writeFlat", tr("Write it as a plate"),
               tr("Its pictures, and a shot that knows its field of view, to be tracked and solved; that camera "
                  "can be read back at Camera"));
    for (QPushButton* b : {lookFlat_, aim, key, write}) flatFlow->addWidget(b);
    column()->addWidget(ofFlat);
    bindWords(session_, flat_);
    connect(lookFlat_, &QPushButton::clicked, this, [this] {
      View v = session_->view();
      v.aimed = !(v.straight && v.aimed);
      v.straight = v.aimed;
      session_->setView(v);
    });
    for (const bool keyed : {false, true})
      connect(keyed ? key : aim, &QPushButton::clicked, this, [this, keyed] {
        View v = session_->view();
        if (!v.straight) {
          session_->say(tr("Look around in a flat view first: L, then Ctrl+drag."));
          return;
        }
        const int frame = session_->frame();
        const Mat3 rotation = session_->looks().rotation(frame);
        const double fov = session_->looks().steer(frame).fovDegrees;
        session_->change(keyed ? tr("key the flat view") : tr("aim the flat view"),
                         [&](shot::Shot& s) { edit::aimFlatView(s, frame, rotation, fov, keyed); });
        v.aimed = true;
        session_->setView(v);
      });
    connect(write, &QPushButton::clicked, this, [this] { engine_->jobs().writeFlatPlate(); });
    bindWords(session_, steady_);
    connect(lookSteady_, &QPushButton::clicked, this, [this] {
      View v = session_->view();
      v.steady = !v.steady;
      session_->setView(v);
    });
    connect(deliverSteady_, &QPushButton::clicked, this, [this] { engine_->jobs().deliverSteady(); });
    connect(&session_->looks(), &Looks::found, this, [this] { refresh(); });
    connect(&engine_->jobs(), &ShotJobs::changed, this, [this] { refresh(); });
    connect(session_, &Session::viewChanged, this, [this] {
      lookSteady_->setChecked(session_->view().steady);
      lookDelivered_->setChecked(session_->view().delivered);
      lookFlat_->setChecked(session_->view().straight && session_->view().aimed);
    });
    bindWords(session_, export_);
    connect(export_, &SentenceWidget::clickedText, this,
            [this](const QString&) { emit wantsFile({FileWish::For::ExportFolder}); });
    connect(hand_, &QPushButton::clicked, this, [this] { engine_->jobs().exportShot(); });
    connect(mattes_, &QPushButton::clicked, this, [this] { engine_->jobs().deliverMattes(false); });
    connect(layers_, &QPushButton::clicked, this, [this] { engine_->jobs().deliverLayers(); });
    connect(cutouts_, &QPushButton::clicked, this, [this] { engine_->jobs().deliverMattes(true); });
    connect(shapes_, &QPushButton::clicked, this, [this] { engine_->jobs().deliverShapes(); });
    connect(go_, &QPushButton::clicked, this, [this] { engine_->delivery().start(); });
    connect(stop_, &QPushButton::clicked, this, [this] { engine_->delivery().stop(); });
    bindWords(session_, sentence_);
    connect(sentence_, &SentenceWidget::clickedText, this,
            [this](const QString&) { emit wantsFile({FileWish::For::Delivery}); });
  }
  void refresh() override {
    const auto& s = session_->shot();
    const bool running = engine_->delivery().running();
    sentence_->setVisible(!s.plate().empty());
    if (!s.plate().empty()) {
      sentence_->set(wording::deliveryRecipe(s));
      output_->set(wording::outputRecipe(s, session_->frame()));
    }
    output_->setVisible(!s.plate().empty());
    lookDelivered_->setVisible(!(s.output == shot::Output()) || session_->view().delivered);
    lookDelivered_->setChecked(session_->view().delivered);
    go_->setVisible(!running);
    go_->setEnabled(!s.plate().empty());
    progress_->setVisible(running);
    stop_->setVisible(running);
    progress_->setValue(static_cast<int>(engine_->delivery().done() * 1000));
    QString text = engine_->delivery().words();
    if (text.isEmpty())
      text = !(s.output == shot::Output())
                 ? tr("Plate and elements are each read once from their files, in the view above.")
             : s.delivery.overPlate ? tr("The plate's own pixels are delivered unchanged wherever nothing was added.")
                                    : tr("What was added alone: premultiplied, with alpha, and nothing elsewhere.");
    note_->setText(text);
    note_->setToolTip(QString::fromStdString(s.delivery.pattern));
    const bool mattes = !s.mattes.empty() && s.hasPlate();
    const bool sphere = s.projection == shot::Projection::Sphere;
    const bool hands = !s.camera->empty() && !sphere;
    const bool layers = !s.elements.empty() && s.hasPlate();
    export_->setVisible(hands || mattes || layers);
    layers_->setVisible(layers);
    hand_->setVisible(hands);
    for (QPushButton* b : {mattes_, cutouts_, shapes_}) b->setVisible(mattes);
    export_->set(wording::exportRecipe(s));
    handingPicture_->setVisible(hands);
    keepAs_->setVisible(hands && exchange::nameOfChoices(s.exportSettings, exchange::exportChoices()).empty());
    const QString stale = hands ? staleWords() : QString();
    stale_->setVisible(!stale.isEmpty());
    stale_->setText(stale);
    for (QWidget* w : {static_cast<QWidget*>(flat_), lookFlat_->parentWidget()}) w->setVisible(sphere && s.hasPlate());
    if (sphere) flat_->set(wording::flatViewRecipe(s, session_->frame()));
    lookFlat_->setChecked(session_->view().straight && session_->view().aimed);
    const bool can = !s.camera->empty();
    for (QWidget* w : {static_cast<QWidget*>(steady_), lookSteady_->parentWidget(), static_cast<QWidget*>(steadyNote_)})
      w->setVisible(can);
    if (!can) return;
    steady_->set(wording::steadyRecipe(s, session_->frame()));
    const auto* path = session_->looks().path();
    const bool cropped = shot::cropOf(s.steady, s.width, s.height) != s.frameBox();
    crop_->setVisible(!sphere);
    crop_->setEnabled(path != nullptr);
    crop_->setText(cropped ? tr("Take the crop away") : tr("Draw a crop"));
    crop_->setToolTip(cropped ? tr("All of the steadied picture is delivered")
                              : tr("Drag across the part of the stabilised picture to deliver"));
    lookSteady_->setEnabled(path != nullptr);
    deliverSteady_->setEnabled(path != nullptr), steadyMaps_->setEnabled(path != nullptr);
    lookSteady_->setChecked(session_->view().steady);
    steadyNote_->setVisible(path || !session_->looks().problem().isEmpty());
    if (!path)
      steadyNote_->setText(session_->looks().problem());
    else if (sphere)
      steadyNote_->setText(tr("Turned as a whole: nothing is lost."));
    else
      steadyNote_->setText(
          (s.steady.enlarged ? tr("Needs to be enlarged by %1%.").arg(100 * (path->enlarged - 1), 0, 'f', 1)
           : s.steady.filled ? tr("Outside the plate: from the nearest frames, reprojected on the set's surfaces; what "
                                  "has none counts as far away.")
                             : tr("Transparent beyond the plate.")) +
          (path->through.empty() ? QString()
                                 : tr(" No camera can see this way: the tracks are delivered without a camera.")));
  }

 private:
  /// What is older than the shot of what was handed on.
  QString staleWords() const {
    const auto& s = session_->shot();
    if (session_->file().isEmpty()) return {};
    QStringList changed;
    try {
      for (const auto& what : exchange::changedSince(s, exchange::exportFolder(s, session_->file().toStdString())))
        changed << QString::fromStdString(what);
    } catch (const std::exception& e) {
      return QString::fromStdString(e.what());
    }
    return changed.isEmpty() ? QString()
                             : tr("The export is out of date: %1 changed since. Export again.").arg(changed.join(", "));
  }

  ExportPicture* handingPicture_;
  QLineEdit* keepAs_;
  QLabel* stale_;
  SentenceWidget *sentence_, *output_;
  QPushButton *lookDelivered_, *layers_;
  QProgressBar* progress_;
  QLabel* note_;
  QPushButton *go_, *stop_, *hand_, *mattes_, *cutouts_, *shapes_;
  SentenceWidget *export_, *steady_, *flat_;
  QLabel* steadyNote_;
  QPushButton *lookSteady_, *lookFlat_, *deliverSteady_, *steadyMaps_, *crop_;
};

}  // namespace

StationBody* makeBody(Station station, Session* s, Engine* e, QWidget* parent) {
  switch (station) {
    case Station::Plate:
      return new PlateBody(s, e, parent);
    case Station::Lens:
      return new LensBody(s, e, parent);
    case Station::Track:
      return new TrackBody(s, e, parent);
    case Station::Camera:
      return new CameraBody(s, e, parent);
    case Station::Set:
      return new SetBody(s, e, parent);
    case Station::Work:
      return new WorkBody(s, e, parent);
    case Station::Deliver:
      break;
  }
  return new DeliverBody(s, e, parent);
}

}  // namespace zentil::app

#pragma once
#include <QLabel>
#include <QMainWindow>
#include <QPushButton>
#include <QSplitter>

#include "app/picture/camera_view.h"
#include "app/picture/set_view.h"
#include "app/stations/ledger.h"
#include "app/strip/strip.h"
#include "app/window/player.h"

namespace zentil::app {

/// The one window: the ledger on the left, the picture with its bar, the strip beneath.
class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  explicit MainWindow(size_t budgetBytes = size_t{3} << 30);
  Session& session() { return *session_; }
  Engine& engine() { return *engine_; }
  /// Whether the shot was shown as it was left: station, frame and views.
  bool cameBack() const { return cameBack_; }
  CameraView& cameraView() { return *camera_; }
  SetView& setView() { return *set_; }
  Player& player() { return *player_; }

  /// What dropping files on the window does: a shot is opened, a plate starts one, the rest is loaded into it.
  void takeFiles(const QStringList& files);
  /// Loads one file as "plate", "camera", "lens", "points", "mesh", "clean", "mattePictures" or "folder".
  void loadFile(const FileWish& wish, const QString& file);
  // Each is false where the wish is none of its own.
  bool loadIntoShot(const FileWish& wish, const QString& file);
  bool loadIntoElement(const FileWish& wish, const QString& file);
  bool writeInto(const FileWish& wish, const QString& file);
  void openShot(const QString& file);
  /// A new shot of a plate.
  void newShotFrom(const std::string& file);
  /// Takes one ST map, or the pair, as the shot's lens; which undistorts is seen in the names.
  void loadStMaps(const QStringList& files);
  /// Takes a lens of the open database at the shot's focal length.
  void takeLibraryLens(const QString& name);

 protected:
  void showEvent(QShowEvent* e) override;
  void dragEnterEvent(QDragEnterEvent* e) override;
  void dropEvent(QDropEvent* e) override;
  void closeEvent(QCloseEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void resizeEvent(QResizeEvent*) override;

 private:
  /// Takes the unsaved edits that were found.
  void recover();
  /// Whether a file that is dropped is the plate of a shot that has none.
  bool takesAsPlate(const QString& file) const;
  void buildTop(QVBoxLayout* v);
  void buildIdleRecipe();
  void takeNextStep();
  QWidget* buildBar();
  void buildActions();
  void buildFrameActions();
  void buildFileActions();
  void buildViewActions();
  void buildStationActions();
  void buildThingActions();
  /// An action with its keys; `station`: it does something at that one alone.
  void add(const QString& keys, const QString& what, const std::function<void()>& run, int station = -1);
  QMenu* mainMenu();
  void openPictureMenu(const QPoint& place);
  void askFile(const FileWish& wish);
  void askLensLibrary();
  void chooseFromLensLibrary();
  void save();
  void saveAs();
  /// Asks what to do about a shot file that somebody else has written to.
  void saveOver();
  bool mayLeave();
  void refreshTop();
  void refreshBar();
  void refreshPlaying();
  void refreshRecovery();
  void showNotice(const QString& text, bool warning);
  /// A notice with a button; it stays until it is answered or closed.
  void showOffer(const QString& text, const QString& label, const std::function<void()>& act);
  void showShortcuts();
  void hideShortcuts();
  void buildShortcuts();
  void comeBack();
  void toggleHelp();
  void remember() const;
  void placeOverlays();
  /// One of a menu's entries; without a name: a line between them.
  struct Choice {
    QString name;
    bool now = false;
    std::function<void()> take;
  };
  void offer(QPushButton* at, const std::vector<Choice>& choices);  ///< above a button of the bar
  std::vector<Choice> channelsOnOffer();
  std::vector<Choice> comparisonsOnOffer();
  void setCompare(Compare c);
  void compareWith(std::optional<int> frame);  ///< another frame, by way of the set; none: the plate

  Session* session_;
  Engine* engine_;
  Ledger* ledger_;
  RecipeBar* recipe_;
  QSplitter* beside_;   ///< ledger and the rest
  bool sized_ = false;  ///< its edge stands where it was left
  CameraView* camera_;
  SetView* set_;
  Strip* strip_;
  Player* player_;
  QLabel *name_, *plate_, *undo_, *frame_, *range_, *value_, *rate_, *noticeText_, *recoveryWords_;
  QPushButton *through_, *setButton_, *both_, *asShot_, *straight_, *asDelivered_, *channel_, *compare_, *exposure_,
      *gamma_, *play_;
  QFrame *notice_, *shortcuts_ = nullptr, *recovery_, *help_ = nullptr;
  QPushButton* noticeAct_;  ///< what an offer does
  QTimer noticeTimer_;
  bool showsPause_ = false, cameBack_ = false;
  struct Shortcut {
    QString keys, what;
    int station = -1;
  };
  QList<Shortcut> known_;
};

}  // namespace zentil::app

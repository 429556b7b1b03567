#pragma once
#include <QString>

namespace zentil::app {

/// A file or folder that a person is asked for, and what it will be.
struct FileWish {
  enum class For {
    Shot,
    NewShot,
    ThisPlate,
    AnotherPlate,
    Camera,
    Lens,
    LensLibrary,
    Boards,
    StMaps,
    LensFolder,
    StraightFolder,
    Points,
    Mesh,
    NewElement,  ///< of `kind`
    SourceFiles,
    CleanPicture,
    MattePictures,
    SendOut,
    ExportFolder,
    FlatShot,
    Move,
    Blank,
    Delivery
  };
  For what = For::Shot;
  QString kind = {};  ///< a kind of source

  /// The wish behind a setting of a source ("source.files", "source.picture"). Throws Error for what is none.
  static FileWish of(const QString& key);
};

}  // namespace zentil::app

#pragma once
#include <filesystem>

#include "core/exchange/scene.h"
#include "core/set/spot_look.h"

namespace zentil::exchange {

// A scene in one file each. All throw Error naming a file that cannot be written. What a format cannot hold is
// returned, a sentence each.

/// glTF 2.0 (Khronos): always right-handed, Y up, metres, as the specification has it. Time 0 is the first frame. One
/// focal length, no optical centre off the middle.
std::vector<std::string> writeGltf(const Scene& scene, const std::filesystem::path& file);
/// USD as text (.usda; OpenUSD): a camera with time samples, points, meshes. Right-handed; Y or Z up.
std::vector<std::string> writeUsda(const Scene& scene, const std::filesystem::path& file);
/// COLLADA 1.4.1 (Khronos): right-handed; Y or Z up. One angle of view, no optical centre off the middle.
std::vector<std::string> writeDae(const Scene& scene, const std::filesystem::path& file);
/// The camera's CSV (see camera::readCamera), in the chosen axes.
std::vector<std::string> writeCsv(const Scene& scene, const std::filesystem::path& file);
/// Points of the set, ASCII PLY; surfaces, OBJ.
void writePly(const Scene& scene, const std::filesystem::path& file);
void writeObj(const Scene& scene, const std::filesystem::path& file);

/// 2D from 3D: where spots are on the picture, and the corners of their squares, as the shot's handing says.
struct SpotTrack {
  std::string name;
  struct At {
    int frame = 0;
    set::SpotLook look;
    double scale = 1, turnDegrees = 0;  ///< against the frame it was chosen on
    Mat3 matrix = Mat3::Identity();     ///< from the reference frame's numbers to this one's
    bool inside = false;                ///< the picture shows the place
  };
  std::vector<At> frames;  ///< those on which it is before the camera with all its square
  int reference = 0;       ///< the frame that the matrices begin from
};
/// Every spot of the shot. Throws Error without a camera, or when it has no spots.
std::vector<SpotTrack> tracksOf(const shot::Shot& shot);
SpotTrack trackOf(const shot::Shot& shot, const set::Spot& spot);

/// `frame,name,x,y,scale,turn,inside`; `frame,name,x1,y1,...,x4,y4`; `frame,name,m00,...,m22`.
void writeTracksCsv(const std::vector<SpotTrack>& tracks, const std::filesystem::path& file);
void writePinsCsv(const std::vector<SpotTrack>& tracks, const std::filesystem::path& file);
void writeMatricesCsv(const std::vector<SpotTrack>& tracks, const std::filesystem::path& file);
/// All of it as JSON, with what its numbers mean.
void writeTracksJson(const shot::Shot& shot, const std::vector<SpotTrack>& tracks, const std::filesystem::path& file);

/// Everything there is, into the shot's folder for it: NAME_camera.gltf, .usda, .dae and .csv, NAME_points.ply,
/// NAME_set.obj, NAME_spots.csv, NAME_pins.csv, NAME_matrices.csv, NAME_spots.json.
struct Exported {
  std::vector<std::filesystem::path> files;
  std::vector<std::string> notes;
};
/// Throws Error when files of these names lie there that were not handed on before. NAME_export.json keeps what they
/// were made from.
Exported exportShot(const shot::Shot& shot, const std::filesystem::path& folder);

/// What has changed since the shot was handed on into a folder ("the camera", "the spots"); none where nothing has, or
/// nothing was handed on.
std::vector<std::string> changedSince(const shot::Shot& shot, const std::filesystem::path& folder);

}  // namespace zentil::exchange

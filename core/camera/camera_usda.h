#pragma once
#include "core/camera/camera_file.h"

namespace zentil::camera {

/// See readCamera. USD as text: the first camera, with its parents; time codes are frame numbers when the file counts
/// as many of them a second as frames, as is usual.
CameraPath readCameraUsda(const std::filesystem::path& file, const CameraFileContext& context);

}  // namespace zentil::camera

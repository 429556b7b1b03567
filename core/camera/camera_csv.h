#pragma once
#include <filesystem>

#include "core/camera/camera.h"

namespace zentil::camera {

/// The CSV form that camera_file.h describes; values are not judged here.
CameraPath readCameraCsv(const std::filesystem::path& file);

}  // namespace zentil::camera

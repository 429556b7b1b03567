#pragma once
#include "core/camera/camera_file.h"

namespace zentil::camera {

/// The glTF 2.0 form that camera_file.h describes; values are not judged here.
CameraPath readCameraGltf(const std::filesystem::path& file, const CameraFileContext& context);

}  // namespace zentil::camera

#pragma once
#include "core/camera/camera_file.h"

namespace zentil::camera {

/// See readCamera. COLLADA 1.4.1: the first node with a perspective camera, with its parents.
CameraPath readCameraDae(const std::filesystem::path& file, const CameraFileContext& context);

}  // namespace zentil::camera

#pragma once
#include <filesystem>
#include <vector>

#include "core/base/job.h"
#include "core/build/workshop.h"
#include "core/map/resample.h"

namespace zentil::build {

/// A plate's frame without its lens, over `box` (straight pixels; see overscan()).
image::Picture straightened(const image::Picture& plate, const shot::Shot& shot, int frame, const Box& box,
                            map::Filter filter);

/// Writes straight working plates for other programs, "NAME_straight.1001.exr" and so on, half floats, as large as the
/// overscan says. Returns the files. Throws Error naming the frame or file that cannot be read or written, Stopped when
/// the job is.
std::vector<std::filesystem::path> writeStraightPlates(const shot::Shot& shot, const std::vector<int>& frames,
                                                       const std::filesystem::path& folder, Workshop& workshop,
                                                       const Job& job = {});

/// The frame that a patch takes its pixels from: the plate's own, or its clean picture. A clean picture as large as the
/// plate stands for the plate. One as large as the straight picture is taken for a straight plate that was painted on:
/// where it differs from the plate straightened here it is bent back, and everywhere else the plate's own pixels are
/// used, so that what nobody touched is not filtered again. Throws Error for any other size.
Workshop::FramePtr sourceOf(const shot::Shot& shot, const element::Element& patch, Workshop& workshop);

}  // namespace zentil::build

#include "core/image/passes.h"

#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

#include "core/base/error.h"

namespace zentil::image {
namespace {

/// Channels of a part that lie side by side, read as one picture.
Picture readChannels(OIIO::ImageInput& in, const OIIO::ImageSpec& spec, int part, int first, int count,
                     const std::string& label) {
  const Box data{spec.x - spec.full_x, spec.y - spec.full_y, spec.x - spec.full_x + spec.width,
                 spec.y - spec.full_y + spec.height};
  Picture out(data, {0, 0, spec.full_width, spec.full_height}, count);
  if (!in.read_image(part, 0, first, first + count, OIIO::TypeDesc::FLOAT, out.values.data()))
    throw Error(fmt::format("{}: is cut short or damaged ({})", label, in.geterror()), "Copy or render it again");
  return out;
}

}  // namespace

Passes readPasses(const Plate& plate, int frame) {
  const std::string file = plate.fileOf(frame), label = fmt::format("frame {}, {}", frame, file);
  if (plate.movie) return {};
  const auto in = OIIO::ImageInput::open(file);
  if (!in) throw Error(fmt::format("{}: cannot be read ({})", label, OIIO::geterror()), "Copy or render it again");
  Passes out;
  for (int part = 0; in->seek_subimage(part, 0); ++part) {
    const OIIO::ImageSpec spec = in->spec();
    const auto find = [&](const std::string& name) {
      const int own = plate.layer.empty() ? -1 : spec.channelindex(plate.layer + "." + name);
      return own >= 0 ? own : spec.channelindex(name);
    };
    int depth = find("Z");
    if (depth < 0) depth = spec.channelindex("depth.Z");
    if (depth >= 0 && out.depth.empty()) out.depth = readChannels(*in, spec, part, depth, 1, label);
    const int u = find("forward.u"), v = find("forward.v");
    if (u < 0 || v < 0 || !out.forward.empty()) continue;
    const Picture right = readChannels(*in, spec, part, u, 1, label), up = readChannels(*in, spec, part, v, 1, label);
    out.forward = Picture(right.data, right.display, 2);
    for (size_t i = 0; i < right.values.size(); ++i)
      out.forward.values[2 * i] = right.values[i], out.forward.values[2 * i + 1] = -up.values[i];
  }
  return out;
}

}  // namespace zentil::image

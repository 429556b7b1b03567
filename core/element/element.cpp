#include "core/element/element.h"

#include <cmath>

#include "core/base/error.h"
#include "core/base/parallel.h"

namespace zentil::element {
namespace {
constexpr const char* kKinds[] = {"patch", "checker", "cg"};
constexpr const char* kBeyonds[] = {"nothing", "hold", "loop"};
constexpr const char* kMerges[] = {"over", "plus", "screen", "multiply"};
}  // namespace

const char* nameOf(Kind kind) { return kKinds[static_cast<int>(kind)]; }
const char* nameOf(Merge merge) { return kMerges[static_cast<int>(merge)]; }
const char* nameOf(Beyond beyond) { return kBeyonds[static_cast<int>(beyond)]; }

Kind kindFrom(const std::string& name) {
  for (int i = 0; i < 3; ++i)
    if (name == kKinds[i]) return static_cast<Kind>(i);
  throw Error(fmt::format("\"{}\" is not a kind of element", name), "Elements are patch, checker and cg");
}

Merge mergeFrom(const std::string& name) {
  for (int i = 0; i < 4; ++i)
    if (name == kMerges[i]) return static_cast<Merge>(i);
  throw Error(fmt::format("\"{}\" is not a merge operation", name), "Choose over, plus, screen or multiply");
}

Beyond beyondFrom(const std::string& name) {
  for (int i = 0; i < 3; ++i)
    if (name == kBeyonds[i]) return static_cast<Beyond>(i);
  throw Error(fmt::format("\"{}\" is not a way to go on", name), "Choose nothing, hold or loop");
}

void merge(const image::Picture& layer, Merge how, image::Picture& onto) {
  const Box box = intersect(layer.data, onto.data);
  if (box.empty()) return;
  parallelRanges(box.y0, box.y1, 32, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const float* l = layer.pixel(box.x0, y);
      float* p = onto.pixel(box.x0, y);
      for (int x = box.x0; x < box.x1; ++x, l += 4, p += 4) {
        const float a = l[3];
        if (!(a > 0)) continue;
        for (int c = 0; c < 3; ++c) switch (how) {
            case Merge::Over:
              p[c] = a >= 1 ? l[c] : l[c] + p[c] * (1 - a);
              break;
            case Merge::Plus:
              p[c] += l[c];
              break;
            case Merge::Screen:
              p[c] = l[c] + p[c] - std::clamp(l[c], 0.0f, 1.0f) * std::clamp(p[c], 0.0f, 1.0f);
              break;
            case Merge::Multiply:
              p[c] = p[c] * (1 - a) + l[c] * p[c];
              break;
          }
        p[3] = a + p[3] * (1 - a);
      }
    }
  });
}

image::Picture checkerPicture(double widthM, double heightM, double squareM, bool lines) {
  const double square = std::max(squareM, 1e-4);
  // About 48 pixels a square, within sensible sizes.
  const double perM = std::min(48.0 / square, 4096.0 / std::max({widthM, heightM, 1e-6}));
  const int w = std::clamp(static_cast<int>(std::lround(widthM * perM)), 16, 4096),
            h = std::clamp(static_cast<int>(std::lround(heightM * perM)), 16, 4096);
  image::Picture out(w, h, 4, 1.0f);
  const double halfLine = 0.035 * square;
  parallelRanges(0, h, 64, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < w; ++x) {
        const double u = ((x + 0.5) / w - 0.5) * widthM, v = ((y + 0.5) / h - 0.5) * heightM;
        const double iu = std::floor(u / square), iv = std::floor(v / square);
        float* p = out.pixel(x, y);
        if (lines) {
          const double du = std::min(u - iu * square, (iu + 1) * square - u),
                       dv = std::min(v - iv * square, (iv + 1) * square - v);
          const bool line = std::min(du, dv) < halfLine;
          p[0] = p[1] = p[2] = line ? 0.9f : 0.0f;
          p[3] = line ? 1.0f : 0.0f;
        } else {
          const bool light = (static_cast<long>(iu) + static_cast<long>(iv)) % 2 == 0;
          p[0] = p[1] = p[2] = light ? 0.62f : 0.05f;
        }
        // The square up and right of the centre is tinted: a mirrored or turned surface shows.
        if (iu == 0 && iv == -1 && p[3] > 0) p[0] *= 1.3f, p[1] *= 0.75f, p[2] *= 0.35f;
      }
  });
  return out;
}

}  // namespace zentil::element

#include "core/element/element.h"

#include "core/base/parallel.h"

namespace zentil::element {
void merge(const image::Picture& layer, Merge combine, image::Picture& onto) {
  const Box box = intersect(layer.data, onto.data);
  if (box.empty()) return;
  parallelRanges(box.y0, box.y1, 32, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const float* l = layer.pixel(box.x0, y);
      float* p = onto.pixel(box.x0, y);
      for (int x = box.x0; x < box.x1; ++x, l += 4, p += 4) {
        const float a = l[3];
        if (!(a > 0)) continue;
        for (int c = 0; c < 3; ++c) switch (combine) {
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

bool Look::hasMatch() const {
  return gain.keyed() || offset.keyed() || saturation.keyed() || gain.constant() != Rgb{1, 1, 1} ||
         offset.constant() != Rgb{0, 0, 0} || saturation.constant() != 1;
}

bool Element::showsSomething(int frame) const {
  if (range.count() != 0 && !range.contains(frame)) return false;
  return std::visit(
      [frame](const auto& s) {
        if constexpr (requires { s.frameAt(frame); })
          return s.frameAt(frame).has_value();
        else
          return true;
      },
      source);
}

Element::Element() = default;
Element::Element(const Element&) = default;
Element::Element(Element&&) noexcept = default;
Element& Element::operator=(const Element&) = default;
Element& Element::operator=(Element&&) noexcept = default;
Element::~Element() = default;
bool Element::operator==(const Element&) const = default;

}  // namespace zentil::element

#pragma once
#include <vector>

#include "core/comp/layer.h"

namespace zentil::comp {

/// Where a pixel comes from at a time between frames: -1 the frame before, 0 this one, 1 the next. Between them
/// positions run along the parabola through the three, or straight where one of them is not known.
class ShutterMap : public map::Map {
 public:
  /// `before` and `after` may be null.
  ShutterMap(map::MapPtr before, map::MapPtr here, map::MapPtr after, double time)
      : before_(std::move(before)), here_(std::move(here)), after_(std::move(after)), time_(time) {}
  void apply(map::MapSample* spots, size_t n) const override;
  bool intricateWithin(const Vec2 (&corners)[4]) const override { return here_->intricateWithin(corners); }

 private:
  map::MapPtr before_, here_, after_;
  double time_;
};

/// The map that `of` gives for a stage, at the making's time.
map::MapPtr atTime(const SourceContext& making, const std::function<map::MapPtr(const SourceContext&)>& of);

/// The times whose pictures, averaged, are blurred as the layer's look asks: so many that neighbours lie a pixel apart
/// on the frame. The shutter is open evenly and stands in its middle on the frame itself (common practice, no source).
std::vector<double> timesOf(const SourceContext& making, const Box& region,
                            const std::function<map::MapPtr(const SourceContext&)>& of);

}  // namespace zentil::comp

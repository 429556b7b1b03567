#pragma once
#include "core/build/workshop.h"
#include "core/map/resample.h"

namespace zentil::build {

struct BuildOptions {
  map::Filter filter = map::Filter::Sharp;
  bool elements = true;  ///< false: the plate alone
  std::string only;      ///< id of the one element to build; empty: all
};

/// The finished picture of one frame: the plate with the shot's elements laid on it in order. Where no element covers
/// anything the plate's own pixels are returned unchanged. Throws Error naming the file and frame, or the element, that
/// cannot be built.
image::Picture buildFrame(const shot::Shot& shot, int frame, Workshop& workshop, const BuildOptions& options = {});

/// One element's premultiplied layer at a frame, on the part of the frame it can reach; empty where it shows nothing.
image::Picture buildLayer(const shot::Shot& shot, const element::Element& element, int frame, Workshop& workshop,
                          map::Filter filter);

/// The map from plate pixels of `frame` to plate pixels of `other`, by way of a surface; `needsSight`: only what the
/// camera at `other` sees.
map::MapPtr plateToPlate(const shot::Shot& shot, const std::string& surfaceId, int frame, int other, bool needsSight,
                         Workshop& workshop);

/// An element's matte at a frame over `region`, 0..1; without a matte, 1 everywhere.
image::Picture matteAt(const shot::Shot& shot, const element::Element& element, int frame, const Box& region,
                       Workshop& workshop);

/// The part of the frame an element can touch.
Box reachOf(const shot::Shot& shot, const element::Element& element, int frame, Workshop& workshop);

/// The map from plate pixels of `from` to plate pixels of `to` for things that ride a surface: it goes on behind what
/// hides the surface and, on a plane, beyond its edge, so that a drawn shape never breaks. Null when a camera or the
/// surface is not there.
map::MapPtr carrying(const shot::Shot& shot, const std::string& surfaceId, int from, int to, Workshop& workshop);
/// The same for what a matte rides, a surface (its own or the element's) or a followed region; null for the screen.
map::MapPtr carrying(const shot::Shot& shot, const element::Element* element, const matte::Matte& matte, int from,
                     int to, Workshop& workshop);

}  // namespace zentil::build

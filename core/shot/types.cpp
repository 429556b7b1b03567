// The types of the document, each made once (core/value/type.h): the shot with all that is in it, and by name what is
// read, reached or hashed alone.
#include "core/shot/shot.h"
#include "core/shot/track_json.h"
#include "core/solve/cull.h"
#include "core/value/type_of.h"

namespace zentil::value {

template const Type& typeOf<shot::Shot>();
template const Type& typeOf<shot::ExportSettings>();
template const Type& typeOf<shot::PlateUse>();
template const Type& typeOf<image::Plate>();
template const Type& typeOf<image::Grain>();
template const Type& typeOf<lens::StraightLine>();
template const Type& typeOf<track::Region>();
template const Type& typeOf<solve::CullLimits>();
template const Type& typeOf<std::vector<set::MovingSurface>>();
template const Type& typeOf<set::MovingSurface>();
template const Type& typeOf<set::Spot>();
template const Type& typeOf<matte::Matte>();
template const Type& typeOf<matte::Part>();
template const Type& typeOf<matte::ShapePoint>();
template const Type& typeOf<element::Element>();
template const Type& typeOf<element::Source>();
template const Type& typeOf<element::Patch>();
template const Type& typeOf<element::Picture>();
template const Type& typeOf<element::Cg>();
template const Type& typeOf<element::Checker>();
template const Type& typeOf<element::Shadow>();
template const Type& typeOf<element::Fill>();
template const Type& typeOf<element::Paint>();
template const Type& typeOf<element::Stroke>();
template const Type& typeOf<element::Brush>();
template const Type& typeOf<element::Place>();
template const Type& typeOf<element::OnSurface>();
template const Type& typeOf<element::OnRegion>();
template const Type& typeOf<element::ThroughCamera>();
template const Type& typeOf<element::AtInfinity>();
template const Type& typeOf<element::OnScreen>();
template const Type& typeOf<element::InFlatView>();
template const Type& typeOf<element::Look>();

}  // namespace zentil::value

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
template const Type& typeOf<element::Stroke>();
template const Type& typeOf<element::Brush>();
template const Type& typeOf<element::Place>();
template const Type& typeOf<element::Look>();

namespace {
/// Those of a list of kinds.
template <typename... Kinds>
std::vector<const Type& (*)()> typesOf(std::type_identity<std::variant<Kinds...>>) {
  return {&typeOf<Kinds>...};
}
}  // namespace
// Asked for from elsewhere, so they have to be made here: their addresses are kept.
extern const std::vector<const Type& (*)()> kTypesOfKinds[];
const std::vector<const Type& (*)()> kTypesOfKinds[] = {typesOf(std::type_identity<element::Source>()),
                                                        typesOf(std::type_identity<element::Place>()),
                                                        typesOf(std::type_identity<matte::Content>())};

}  // namespace zentil::value

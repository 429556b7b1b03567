#include "core/edit/matte_kinds.h"

#include "core/base/error.h"
#include "core/edit/make.h"

namespace zentil::edit {
namespace {

template <typename... Kinds>
std::optional<matte::Content> freshOf(std::type_identity<std::variant<Kinds...>>, const std::string& kind,
                                      const shot::Shot& shot, int frame) {
  std::optional<matte::Content> out;
  ((kind == Kinds::kKind ? void(out = freshContent<Kinds>(shot, frame)) : void()), ...);
  return out;
}

}  // namespace

std::string addPartOf(shot::Shot& shot, const std::string& kind, const std::string& matteId, int frame) {
  auto content = freshOf(std::type_identity<matte::Content>(), kind, shot, frame);
  if (!content) throw Error(fmt::format("there is no kind of matte \"{}\"", kind), "Name an existing one");
  return addPart(shot, matteId, std::move(*content), kind);
}

}  // namespace zentil::edit

#include "core/element/patch_settings.h"

#include "core/base/error.h"
#include "core/comp/layer.h"
#include "core/comp/rimmed_frame.h"
#include "core/comp/source_files.h"
#include "core/comp/undistort.h"
#include "core/value/hash.h"

namespace zentil::comp {

template <>
SourceResult SourceMaker<element::Patch>::make(const element::Patch& source, const SourceContext& m) {
  const auto frame = heldFrame(m.state, m.layer, m.cache);
  // With a clean picture it is the picture's pixels, which lie as the shot's do.
  const double scale = m.layer.files.size() > 1 ? 1 : m.layer.files.front().scale;
  value::Hasher key;
  for (const auto& f : m.layer.files) key.add(f.key());
  SourceResult made{rimmedFrame(frame, key.add(m.layer.held->key).key(), m.layer.held->around, m.cache),
                    BySight{m.layer.held, scale, source.from.at(m.layer.frame)},
                    {},
                    {}};
  made.grainLeft = 1, made.ends = false;
  return made;
}

template <>
void SourceFiles<element::Patch>::take(element::Patch&, element::Element&, const std::string&, const FilesFor&) {
  throw Error("a patch is taken from the plate", "Choose another kind of element");
}

}  // namespace zentil::comp

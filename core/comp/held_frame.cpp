#include "core/element/held_frame.h"

#include "core/base/error.h"
#include "core/comp/around.h"
#include "core/comp/layer.h"
#include "core/comp/source_files.h"
#include "core/comp/straight.h"
#include "core/value/hash.h"

namespace zentil::comp {

template <>
Made SourceMaker<element::HeldFrame>::make(const element::HeldFrame& source, const Making& m) {
  const auto frame = heldFrame(m.moment, m.layer, m.workshop);
  // With a clean picture it is the picture's pixels, which lie as the shot's do.
  const double scale = m.layer.files.size() > 1 ? 1 : m.layer.files.front().scale;
  value::Hasher key;
  for (const auto& f : m.layer.files) key.add(f.key());
  Made made{readable(frame, key.add(m.layer.held->key).key(), m.layer.held->around, m.workshop),
            BySight{m.layer.held, scale, source.from.at(m.layer.frame)},
            {},
            {}};
  made.grainLeft = 1, made.ends = false;
  return made;
}

template <>
void SourceFiles<element::HeldFrame>::take(element::HeldFrame&, element::Element&, const std::string&,
                                           const FilesFor&) {
  throw Error("a patch is taken from the plate", "Choose another kind of element");
}

}  // namespace zentil::comp

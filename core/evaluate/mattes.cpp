#include "core/evaluate/shot_evaluator.h"

#include "core/base/error.h"
#include "core/evaluate/content_keys.h"
#include "core/evaluate/matte_content.h"

namespace zentil::evaluate {

MattePart ShotEvaluator::partAt(const matte::Matte& m, const matte::Part& part, const std::string& elementSurface,
                                int frame) const {
  MattePart out;
  out.matte = m.name;
  out.combine = part.combine, out.inverted = part.inverted;
  matte::Part now = withoutKeys(part, frame);
  out.shiftPx = now.shiftPx.constant(), out.softPx = now.softPx.constant(), out.growPx = now.growPx.constant();
  out.content = std::move(now.content);
  std::visit(
      [&](const auto& content) {
        evaluateContent(content, part, {*this, *shot_, elementSurface, frame}, out);
      },
      out.content);
  return out;
}

Cover ShotEvaluator::matteAt(const std::string& id, int frame) const { return matteFor(id, frame, {}); }

Cover ShotEvaluator::matteFor(const std::string& id, int frame, const std::string& gathering) const {
  const auto* m = shot_->matte(id);
  if (!m) throw Error("the matte is gone", "Choose another");
  // What rides its element's own surface rides that of the first element it covers.
  std::string own;
  for (const auto& e : shot_->elements)
    if (own.empty() && std::any_of(e.cover.begin(), e.cover.end(), [&](const auto& x) { return x.matte == id; }))
      own = e.surface();
  Cover c;
  c.inverted = m->inverted;
  for (const auto& p : m->parts)
    if (p.on && (gathering.empty() ||
                 !std::visit([&](const auto& content) { return comparesWith(content, gathering); }, p.content)))
      c.parts.push_back(partAt(*m, p, own, frame));
  return c;
}

std::vector<Cover> ShotEvaluator::unwantedAt(int frame) const { return unwantedFor({}, frame); }

std::vector<Cover> ShotEvaluator::unwantedFor(const std::string& gathering, int frame) const {
  std::vector<Cover> out;
  for (const auto& m : shot_->mattes)
    if (m.removal) out.push_back(matteFor(m.id, frame, gathering)), out.back().combine = matte::Combine::Add;
  std::erase_if(out, [](const Cover& c) { return c.parts.empty(); });
  return out;
}

}  // namespace zentil::evaluate

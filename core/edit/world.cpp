#include "core/edit/world.h"

#include "core/base/error.h"

namespace zentil::edit {
namespace {

void requireLength(double lengthM) {
  if (!(lengthM > 1e-4 && lengthM < 1e5)) throw Error("a length is between 0.0001 and 100 000 m", "Type one of those");
}

set::WorldConstraint& at(shot::Shot& shot, size_t which) {
  if (which >= shot.constraints.size()) throw Error("that was not said of the world", "Choose another");
  return shot.constraints[which];
}

}  // namespace

void state(shot::Shot& shot, const set::WorldConstraint& statement) {
  using Kind = set::WorldConstraint::Kind;
  if (statement.kind == Kind::Vertical) shot::uprightByLines(shot);  // says so where they do not
  if (statement.kind == Kind::Scale)
    requireLength(statement.lengthM);
  else
    std::erase_if(shot.constraints, [&](const auto& o) { return o.kind == statement.kind; });
  shot.constraints.push_back(statement);
  shot::applyStatements(shot);
}

void setScale(shot::Shot& shot, size_t which, double lengthM) {
  requireLength(lengthM);
  at(shot, which).lengthM = lengthM;
  shot::applyStatements(shot);
}

void takeBack(shot::Shot& shot, size_t which) {
  at(shot, which);
  shot.constraints.erase(shot.constraints.begin() + static_cast<long>(which));
}

}  // namespace zentil::edit

#include "core/edit/world.h"

#include "core/base/error.h"

namespace zentil::edit {
namespace {

void requireLength(double lengthM) {
  if (!(lengthM > 1e-4 && lengthM < 1e5))
    throw Error("a length lies between 0.0001 and 100 000 m", "Type one of those");
}

set::WorldConstraint& at(shot::Shot& shot, size_t which) {
  if (which >= shot.statements.size()) throw Error("that was not said of the world", "Choose another");
  return shot.statements[which];
}

}  // namespace

void state(shot::Shot& shot, const set::WorldConstraint& statement) {
  using Kind = set::WorldConstraint::Kind;
  if (statement.kind == Kind::Plumb) shot::uprightByLines(shot);  // says so where they do not
  if (statement.kind == Kind::Gauge)
    requireLength(statement.lengthM);
  else
    std::erase_if(shot.statements, [&](const auto& o) { return o.kind == statement.kind; });
  shot.statements.push_back(statement);
  shot::applyStatements(shot);
}

void setGauge(shot::Shot& shot, size_t which, double lengthM) {
  requireLength(lengthM);
  at(shot, which).lengthM = lengthM;
  shot::applyStatements(shot);
}

void takeBack(shot::Shot& shot, size_t which) {
  at(shot, which);
  shot.statements.erase(shot.statements.begin() + static_cast<long>(which));
}

}  // namespace zentil::edit

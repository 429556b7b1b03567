#include "core/shot/source_words.h"

namespace zentil::shot {

element::Place onTheScreen() { return element::OnScreen{}; }
bool isOnTheScreen(const element::Place& place) { return std::holds_alternative<element::OnScreen>(place); }

}  // namespace zentil::shot

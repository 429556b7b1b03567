#pragma once
#include "core/wording/words.h"

namespace zentil::wording {

// What is said of a part of a matte, by what it consists of; each kind's own file (roto_shapes_words.cpp,
// keyer_words.cpp, ...) defines both.

/// The words that follow a part's name: "drawn on frame 1001, follows the surface".
template <typename Content>
void addFollows(Sentence& sentence, const Content& content, const matte::Matte& matte, const matte::Part& part,
                const SettingWords& w);
/// What the part's limit is called: "the outline".
template <typename Content>
const char* limitOf();

/// How a new part of this kind is offered; without a label it is begun in another way.
struct ContentOffer {
  const char *kind, *name, *label, *tip;
};
template <typename Content>
ContentOffer offerOf();

/// The offers of all kinds that have one.
std::vector<ContentOffer> contentOffers();

}  // namespace zentil::wording

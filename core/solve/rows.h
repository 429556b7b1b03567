#pragma once

namespace zentil::solve {

class Reconstruction;

/// How much of the squares of a world's residuals would go if its rows were read one after the other, 0 to 1: along how
/// a point moves on the picture, the more the further its row lies from the middle, in proportion to one readout for
/// the whole shot. What every frame has alike is taken out, as the view took it. A world that was solved as read at
/// once has about nothing of it where it was.
double rowsExplain(const Reconstruction& world, int height);

}  // namespace zentil::solve

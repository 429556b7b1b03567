#include "core/value/value_blend.h"

namespace zentil::value {

template class Keys<double>;
template class Keys<Vec2>;
template class Keys<Vec3>;
template class Keys<Mat3>;
template class Keys<std::array<double, 3>>;
template class Keys<std::array<double, 5>>;

}  // namespace zentil::value

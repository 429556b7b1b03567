#pragma once
#include <QImage>

#include "app/document/session.h"
#include "core/image/picture.h"

namespace zentil::app {

/// A picture as the window shows it: exposure, gamma and channel as the view has them.
QImage shownPicture(const image::Picture& picture, const View& view);

}  // namespace zentil::app

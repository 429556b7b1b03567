#pragma once

namespace zentil::element {

/// How a stage's settings read in an element's details: a label, then words, each followed by a setting of its look.
struct StageRow {
  const char* label;
  struct Part {
    const char* words = nullptr;    ///< before the setting
    const char* setting = nullptr;  ///< its key; null: no more
  };
  Part parts[4];
};

}  // namespace zentil::element

#pragma once
#include <string>
#include <string_view>

namespace zentil {

/// Throws Error when brackets, XML tags or YAML dashes nest deeper in a text than any file that people or programs
/// write: libraries read such files recursively, and one that was made to harm, or was damaged, would end the program
/// by a stack that is too small. `file` is named in the message. Call it before a text is given to a parser.
void refuseDeepNesting(std::string_view text, const std::string& file);

}  // namespace zentil

#pragma once
#include <QString>

class QWidget;

namespace zentil::app {

class Session;

/// Where files of the session's shot are expected: beside the shot; beside its plate while it was never saved.
QString folderOf(const Session& session);

enum class Existing { Asked, AskedLater };  ///< about a file that is there already: here, or by whoever writes it

/// Asks for a name to write to, `suggested` at first (whole, or in the session's folder); it gets the ending (without a
/// dot) where it has none. A file of that whole name is asked about. Empty when nothing is to be written.
QString askName(QWidget* parent, const Session& session, const QString& title, const QString& suggested,
                const QString& ending = {}, Existing existing = Existing::Asked);

}  // namespace zentil::app

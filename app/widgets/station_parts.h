#pragma once
#include <QLabel>
#include <QPushButton>
#include <functional>

#include "app/document/session.h"
#include "app/widgets/sentence.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"

namespace zentil::app {

/// A word of a sentence that is only read.
wording::Word plain(const std::string& text);
/// A word that is a number, as `text`.
wording::Word number(const std::string& key, const std::string& text, double value, double least, double most,
                     double step);
/// A word with two choices: "0" and "1".
wording::Word either(const std::string& key, bool value, const std::string& whenOff, const std::string& whenOn);
/// A word with several choices: values and labels.
wording::Word choice(const std::string& key, const std::string& chosen,
                     const std::vector<std::pair<std::string, std::string>>& choices);
/// Changes a setting of the shot by a word, at the shown frame; named in undo by what it is.
void changeWord(Session* session, const QString& path, const QString& value, bool goesOn);
/// Does what a word's menu wants of its keys (see WordButton::keyWanted).
void changeKeys(Session* session, const QString& path, const QString& what);
/// Lets a sentence change the shot: its words by `change` (changeWord() where none is given), their keys, and the
/// frames that it leads to.
using WordChange = std::function<void(const QString& path, const QString& value, bool goesOn)>;
void bindWords(Session* session, SentenceWidget* sentence, WordChange change = {});
/// What the strip's keys belong to: the chosen element at Work, the chosen surface at Set; empty: nothing.
std::string keyedThing(const Session& session);
/// A button with a name to be found by.
QPushButton* newButton(QWidget* parent, const QString& name, const QString& text, const QString& tip);
/// A quiet, wrapping label.
QLabel* note(QWidget* parent);
/// A typed number. Throws with words for the user when it is none.
double numberOf(const QString& typed);

}  // namespace zentil::app

#pragma once
#include <QVBoxLayout>
#include <QWidget>

#include "app/document/session.h"
#include "app/widgets/sentence.h"
#include "app/widgets/station_parts.h"
#include "core/wording/words.h"

namespace zentil::app {

/// Things that are each told by a sentence: a matte's parts, a shot's plates. A click chooses one, a button takes one
/// away; words and keys change the shot.
class SentenceList : public QWidget {
  Q_OBJECT
 public:
  /// `kind` names the parts: "<kind>Row", "<kind>Remove".
  /// `change`: what a word that was changed does; by itself it changes the setting that it stands for.
  SentenceList(Session* session, const QString& kind, QWidget* parent, WordChange change = {});
  /// Where its things stand in the shot: "plates", "mattes.m1.parts".
  void setList(const std::string& list) { list_ = list; }
  /// Of more than two, those that are not chosen show one line.
  void setFoldable() { foldable_ = true; }

  struct Row {
    std::string id;
    QString title;  ///< over the sentence; empty: none
    wording::Sentence sentence;
    bool removable = true;
  };
  void set(const std::vector<Row>& rows, const std::string& chosen);

 signals:
  void chosen(const QString& id);
  void removed(const QString& id);

 private:
  Session* session_;
  QString kind_;
  WordChange change_;
  QVBoxLayout* rows_;
  std::vector<std::string> shown_;
  std::string list_;
  bool foldable_ = false;
};

}  // namespace zentil::app

#pragma once
#include <QFrame>
#include <QMenu>
#include <functional>

#include "app/document/session.h"

namespace zentil::app {

/// What is done to whatever is chosen, wherever it is listed: renamed, copied, pasted, taken out, put earlier or later.
/// Keys, the menus of the right button and the lists all come here.
class Things : public QObject {
  Q_OBJECT
  explicit Things(Session* session);

 public:
  /// A session's; there is one.
  static Things& of(Session* session);

  /// A name is typed where it stands: whoever shows the thing opens its field.
  void rename();
  void duplicate();
  void copy();
  /// What was copied, here or in another shot; `lensAndCamera`: those of that shot replace this one's.
  void paste(bool lensAndCamera = false);
  void remove();
  /// Earlier (-1) or later (1) in its list.
  void shift(int by);
  void chooseAll();

  /// Adds these, with their keys, for what is chosen.
  void addTo(QMenu* menu);
  /// The menu of a thing that was clicked with the right button; it is chosen unless it was.
  void openMenu(const QString& thing, const QPoint& globalPlace);

 signals:
  void renameWanted(const QString& thing);

 private:
  Session* session_;
};

/// Makes a thing's card or row behave as all do: a click chooses it (with Ctrl along with the others, with Shift all up
/// to it), a double click on its name renames it, a drag puts it elsewhere in its list, the right button opens its
/// menu.
class ThingHandle : public QObject {
 public:
  /// `name` is where the name stands, within `frame`; `choose` chooses it alone.
  ThingHandle(Session* session, const std::string& thing, QWidget* frame, QWidget* name, std::function<void()> choose);

 protected:
  bool eventFilter(QObject* watched, QEvent* e) override;

 private:
  bool press(QMouseEvent* e);
  /// The cards or rows of its list, from the top.
  QList<QWidget*> siblings() const;
  int placeAt(int globalY) const;
  void typeName(const std::string& thing);

  Session* session_;
  std::string thing_;
  QWidget *frame_, *name_;
  std::function<void()> choose_;
  QPoint from_;
  bool pressed_ = false, dragging_ = false;
  QFrame* line_ = nullptr;  ///< where it would land
};

/// Opens a field over a name; done(text) when another was typed. Return and a click elsewhere take it, Escape leaves
/// it.
void typeName(QWidget* over, const QString& now, const std::function<void(const QString&)>& done);

}  // namespace zentil::app

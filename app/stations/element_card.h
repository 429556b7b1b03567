#pragma once
#include "app/document/file_wish.h"
#include "app/tasks/engine.h"
#include "app/widgets/card.h"
#include "app/widgets/sentence_list.h"
#include "core/edit/element_kinds.h"

namespace zentil::app {

/// An element at Work: its recipe, what can be done with it, the parts of its matte, its strokes, what was found and
/// measured of it.
class ElementCard : public Card {
  Q_OBJECT
 public:
  ElementCard(Session* session, Engine* engine, const std::string& element, QWidget* parent);
  void showElement(const element::Element& element);

 signals:
  void wantsFile(const FileWish& wish);

 private:
  void addHead();
  void addRecipe();
  void addMatteParts();
  void addMatteButtons();
  void addActions();
  void addStrokes();
  void addResults();
  void run(edit::ElementAction action);
  /// Begins a part of its matte, of this kind, with the tool that works on it.
  void addPart(const std::string& kind);
  void pickKey();
  void match();

  void showMatte(const element::Element& element);
  void showStrokes(const element::Element& element);
  void showMeasured(const element::Element& element);
  void showFound(const element::Element& element);
  void showFigure(const element::Element& element);
  void showLock(const measure::Slip& slip);
  bool isChosen() const { return session_->element() == id(); }

  Session* session_;
  Engine* engine_;
  std::string key_;                          ///< the element's id
  std::shared_ptr<const shot::Shot> shown_;  ///< what its words were made from
  int shownFrame_ = 0;
  bool shownChosen_ = false, built_ = false;
  SentenceList *parts_ = nullptr, *strokes_ = nullptr;
  QMap<QString, QPushButton*> matteButtons_;
  QPushButton *pickKey_ = nullptr, *allStrokes_ = nullptr, *useBest_ = nullptr, *closeFound_ = nullptr;
  QLabel *foundWords_ = nullptr, *warning_ = nullptr, *sits_ = nullptr;
};

}  // namespace zentil::app

#include "app/tasks/plate_search.h"

#include <QPointer>

#include "app/document/background.h"
#include "core/edit/plates.h"

namespace zentil::app {

PlateSearch::PlateSearch(Session* session, QObject* parent) : QObject(parent), session_(session) {
  pool_.setMaxThreadCount(1);
  soon_.setSingleShot(true);
  soon_.setInterval(0);
  connect(&soon_, &QTimer::timeout, this, &PlateSearch::look);
  for (const auto signal :
       {&Session::shotChanged, &Session::documentReplaced, &Session::filesFollowed, &Session::fileChanged})
    connect(session, signal, this, [this] { soon_.start(); });
}

PlateSearch::~PlateSearch() { pool_.waitForDone(); }

void PlateSearch::look() {
  const auto& s = session_->shot();
  const auto folder = session_->file().isEmpty() ? std::filesystem::path(s.plate().pattern).parent_path().parent_path()
                                                 : std::filesystem::path(session_->file().toStdString()).parent_path();
  const QPointer<PlateSearch> self(this);
  pool_.clear();
  inBackground(pool_, [self, shot = session_->snapshot(), folder] {
    const bool away = shot->hasPlate() && edit::isAway(shot->worked());
    const std::string found = away ? edit::lookForPlate(shot->worked(), folder).value_or("") : std::string();
    inInterface([self, away, found, folder] {
      if (!self || (self->away_ == away && self->foundAt_ == found && self->folder_ == folder)) return;
      self->away_ = away, self->foundAt_ = found, self->folder_ = folder;
      emit self->changed();
    });
  });
}

}  // namespace zentil::app

#include "app/document/file_names.h"

#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QMessageBox>

#include "app/document/session.h"

namespace zentil::app {

QString folderOf(const Session& session) {
  if (!session.file().isEmpty()) return QFileInfo(session.file()).absolutePath();
  const auto& plates = session.shot().plates;
  if (!plates.empty() && !session.shot().plate().pattern.empty())
    return QFileInfo(QString::fromStdString(session.shot().plate().pattern)).absolutePath();
  return {};
}

QString askName(QWidget* parent, const Session& session, const QString& title, const QString& suggested,
                const QString& ending, Existing existing) {
  const QString whole = QDir(folderOf(session)).absoluteFilePath(suggested);
  // Where the folder is not there yet, the nearest one that is; the rest stays in the name.
  QDir nearest = QFileInfo(whole).absoluteDir();
  while (!nearest.exists() && !nearest.isRoot()) nearest.setPath(QFileInfo(nearest.path()).path());
  QFileDialog dialog(parent, title, nearest.path(),
                     ending.isEmpty() ? QString() : QFileDialog::tr("Files (%1)").arg("*." + ending));
  dialog.setOption(QFileDialog::DontUseNativeDialog);
  dialog.setOption(QFileDialog::DontConfirmOverwrite, existing == Existing::AskedLater);
  dialog.setAcceptMode(QFileDialog::AcceptSave);
  dialog.setDefaultSuffix(ending);
  if (!suggested.isEmpty()) dialog.selectFile(nearest.relativeFilePath(whole));
  while (dialog.exec()) {
    const QString name = dialog.selectedFiles().value(0);
    if (ending.isEmpty() || QFileInfo(name).suffix().compare(ending, Qt::CaseInsensitive) == 0) return name;
    // "shot.v2" has an ending of its own, and the dialog asked about a file of that name.
    const QString withEnding = name + "." + ending;
    if (existing == Existing::AskedLater || !QFileInfo::exists(withEnding)) return withEnding;
    QMessageBox box(QMessageBox::NoIcon, title,
                    QObject::tr("%1 is there already.").arg(QFileInfo(withEnding).fileName()), QMessageBox::NoButton,
                    parent);
    box.setObjectName("nameIsThere");
    auto* over = box.addButton(QObject::tr("Write over it"), QMessageBox::AcceptRole);
    auto* other = box.addButton(QObject::tr("Another name"), QMessageBox::RejectRole);
    box.setDefaultButton(other), box.setEscapeButton(other);
    box.exec();
    if (box.clickedButton() == over) return withEnding;
  }
  return {};
}

}  // namespace zentil::app

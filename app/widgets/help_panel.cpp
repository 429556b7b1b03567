#include "app/widgets/help_panel.h"

#include <QFile>
#include <QFontInfo>
#include <QKeyEvent>
#include <QLabel>
#include <QPushButton>
#include <QSettings>
#include <QTextBlock>
#include <QToolButton>
#include <QVBoxLayout>

namespace zentil::app {
namespace {

const QStringList kPages = {"general", "plate", "lens", "track", "camera", "set", "work", "deliver"};

QString pageOf(Station s) { return kPages[static_cast<int>(s) + 1]; }

QString textOf(const QString& page) {
  QFile f(":/help/" + page + ".md");
  return f.open(QIODevice::ReadOnly) ? QString::fromUtf8(f.readAll()) : QString();
}

/// Paragraphs and list items under the page's name, those that hold all the words.
QString foundIn(const QString& page, const QStringList& words) {
  QString out, title;
  QString text = textOf(page);
  for (QString part : text.replace("\n* ", "\n\n* ").split("\n\n", Qt::SkipEmptyParts)) {
    part = part.trimmed();
    if (part.startsWith("# ")) {
      title = part.mid(2);
      continue;
    }
    if (part.startsWith("## ")) continue;
    bool has = true;
    for (const QString& w : words) has = has && part.contains(w, Qt::CaseInsensitive);
    if (has) out += part + "\n\n";
  }
  return out.isEmpty() ? out : QString("### [%1](%2)\n\n%3").arg(title, page, out);
}

}  // namespace

namespace {
/// Headings no louder than the rest of the window, and room between paragraphs.
void calm(QTextDocument* text) {
  for (QTextBlock b = text->begin(); b.isValid(); b = b.next()) {
    QTextCursor c(b);
    QTextBlockFormat f = b.blockFormat();
    const int level = f.headingLevel();
    f.setTopMargin(level > 1 ? 12 : 2);
    f.setBottomMargin(level ? 4 : 3);
    c.setBlockFormat(f);
    if (!level) continue;
    c.select(QTextCursor::BlockUnderCursor);
    QTextCharFormat letters;
    letters.setProperty(QTextFormat::FontSizeAdjustment, 0);
    letters.setFontPointSize(QFontInfo(text->defaultFont()).pointSizeF() * (level == 1 ? 1.4 : 1.1));
    letters.setFontWeight(QFont::DemiBold);
    c.mergeCharFormat(letters);
  }
}
}  // namespace

HelpPanel::HelpPanel(Session* session, QWidget* parent)
    : QFrame(parent), session_(session), search_(new QLineEdit(this)), text_(new QTextBrowser(this)) {
  setObjectName("help");
  auto* v = new QVBoxLayout(this);
  v->setContentsMargins(12, 10, 12, 12);
  auto* top = new QHBoxLayout;
  search_->setObjectName("helpSearch");
  search_->setPlaceholderText(tr("Look for words in all of the help"));
  search_->setClearButtonEnabled(true);
  top->addWidget(search_, 1);
  for (const auto& [page, label] : {std::pair{QString(), tr("this station")}, {"general", tr("in general")}}) {
    auto* b = new QPushButton(label, this);
    b->setProperty("plain", true);
    top->addWidget(b);
    connect(b, &QPushButton::clicked, this, [this, page = QString(page)] {
      search_->clear();
      page.isEmpty() ? refresh() : showPage(page);
    });
  }
  auto* close = new QToolButton(this);
  close->setObjectName("closeHelp");
  close->setIcon(QIcon(":/icons/remove.svg"));
  top->addWidget(close);
  v->addLayout(top);
  text_->setObjectName("helpText");
  text_->setOpenLinks(false);
  text_->setFrameShape(QFrame::NoFrame);
  v->addWidget(text_, 1);
  connect(close, &QToolButton::clicked, this, &HelpPanel::closed);
  connect(search_, &QLineEdit::textChanged, this, &HelpPanel::refresh);
  connect(text_, &QTextBrowser::anchorClicked, this, [this](const QUrl& link) {
    search_->clear();
    showPage(link.toString());
  });
  connect(session, &Session::stationChanged, this, [this] {
    if (search_->text().isEmpty()) refresh();
  });
  // Letters are looked for: none of them is a shortcut while the help has the keyboard.
  setFocusProxy(search_);
  refresh();
}

QString HelpPanel::purposeOf(Station station) { return textOf(pageOf(station)).section("\n\n", 1, 1); }

void HelpPanel::showPage(const QString& name) {
  text_->setMarkdown(textOf(name));
  calm(text_->document());
}

void HelpPanel::refresh() {
  const QStringList words = search_->text().split(' ', Qt::SkipEmptyParts);
  if (words.isEmpty()) {
    showPage(pageOf(session_->station()));
    return;
  }
  QString found;
  for (const QString& page : kPages) found += foundIn(page, words);
  text_->setMarkdown(found.isEmpty() ? tr("Nothing in the help has these words.") : found);
  calm(text_->document());
}

void HelpPanel::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Escape)
    emit closed();
  else
    QFrame::keyPressEvent(e);
}

Hint::Hint(Station station, QWidget* parent) : QFrame(parent) {
  setObjectName("hint");
  const QString key = "hints/" + pageOf(station);
  auto* v = new QVBoxLayout(this);
  v->setContentsMargins(10, 7, 10, 8);
  v->setSpacing(5);
  auto* text = new QLabel(HelpPanel::purposeOf(station) + " " + QObject::tr("F1 shows the steps."), this);
  text->setWordWrap(true);
  v->addWidget(text);
  auto* known = new QPushButton(QObject::tr("I know"), this);
  known->setObjectName("hintKnown");
  known->setProperty("plain", true);
  v->addWidget(known, 0, Qt::AlignLeft);
  setVisible(!QSettings().value(key).toBool());
  connect(known, &QPushButton::clicked, this, [this, key] {
    QSettings().setValue(key, true);
    hide();
  });
}

}  // namespace zentil::app

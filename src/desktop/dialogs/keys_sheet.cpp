// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/keys_sheet.h"

#include <QBuffer>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QMessageBox>
#include <QPdfWriter>
#include <QPushButton>
#include <QTextBrowser>
#include <QTextDocument>
#include <QVBoxLayout>

#include "audio/error.h"
#include "audio/replace_file.h"

namespace drevan::desktop {

namespace {

// `ink`: black on paper, empty on the screen.
QString as_html(const QList<KeyChapter>& chapters, const QString& ink) {
  QString out = ink.isEmpty() ? QString() : QString("<body style=\"color:%1\">").arg(ink);
  out += "<h2>Drevan</h2><table cellpadding=4 width=\"100%\"><tr>";
  // Two columns of about the same length.
  qsizetype all = 0, done = 0;
  for (const auto& c : chapters) all += c.lines.size() + 2;
  out += "<td valign=top width=\"50%\">";
  bool second = false;
  for (const auto& c : chapters) {
    if (!second && done * 2 >= all) {
      out += "</td><td valign=top width=\"50%\">";
      second = true;
    }
    out += QString("<h3>%1</h3><table cellpadding=2>").arg(c.title.toHtmlEscaped());
    for (const auto& line : c.lines)
      out += QString("<tr><td><b>%1</b>&nbsp;&nbsp;</td><td>%2</td></tr>")
                 .arg(line.keys.toHtmlEscaped(), line.does.toHtmlEscaped());
    out += "</table>";
    done += c.lines.size() + 2;
  }
  return out + "</td></tr></table>";
}

}  // namespace

KeysSheet::KeysSheet(const QList<KeyChapter>& chapters, QWidget* parent) : QDialog(parent) {
  setObjectName("keys");
  setWindowTitle(tr("The keyboard"));
  resize(900, 680);
  page_ = new QTextBrowser(this);
  page_->setAccessibleName(tr("All keys"));
  page_->setHtml(as_html(chapters, {}));
  setProperty("html", as_html(chapters, "#000000"));
  auto* save = new QPushButton(tr("Save as a PDF to print ..."), this);
  auto* row = new QHBoxLayout;
  row->addStretch();
  row->addWidget(save);
  auto* box = new QVBoxLayout(this);
  box->addWidget(page_, 1);
  box->addLayout(row);
  connect(save, &QPushButton::clicked, this, [this] {
    const auto file = QFileDialog::getSaveFileName(this, tr("Save the keyboard sheet"),
                                                   "drevan-keys.pdf", tr("PDF (*.pdf)"));
    if (file.isEmpty()) return;
    try {
      save_pdf(file);
    } catch (const Error& e) {
      QMessageBox::warning(this, "Drevan", QString::fromUtf8(e.what()));
    }
  });
}

void KeysSheet::save_pdf(const QString& file) const {
  ReplacementFile out(file.toStdString());
  QBuffer buffer;
  buffer.open(QIODevice::WriteOnly);
  QPdfWriter pdf(&buffer);
  pdf.setPageSize(QPageSize(QPageSize::A4));
  pdf.setResolution(96);
  QTextDocument sheet;
  QFont font = this->font();
  font.setPixelSize(11);
  sheet.setDefaultFont(font);
  sheet.setHtml(property("html").toString());
  sheet.print(&pdf);
  out.write({buffer.data().constData(), static_cast<size_t>(buffer.data().size())});
  out.commit();
}

}  // namespace drevan::desktop

// SPDX-License-Identifier: GPL-3.0-or-later
// All keys on one sheet, as the menus and pages have them; it can be printed into a PDF.
#pragma once

#include <QDialog>

class QTextBrowser;

namespace drevan::desktop {

/// One row of the sheet.
struct KeyLine {
  QString keys, does;
};
struct KeyChapter {
  QString title;
  QList<KeyLine> lines;
};

class KeysSheet : public QDialog {
  Q_OBJECT

 public:
  KeysSheet(const QList<KeyChapter>& chapters, QWidget* parent = nullptr);
  /// Throws Error(output) when it cannot be written.
  void save_pdf(const QString& file) const;

 private:
  QTextBrowser* page_;
};

}  // namespace drevan::desktop

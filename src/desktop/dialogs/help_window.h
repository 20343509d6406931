// SPDX-License-Identifier: GPL-3.0-or-later
// The manual inside the application: contents, search, pictures.
#pragma once

#include <QDialog>

class QLineEdit;
class QListWidget;
class QTextBrowser;

namespace drevan::desktop {

class HelpWindow : public QDialog {
  Q_OBJECT

 public:
  explicit HelpWindow(QWidget* parent = nullptr);
  /// Turns to a chapter by its heading; false: there is none.
  bool show_chapter(const QString& heading);
  /// The heading above what can be read now.
  QString chapter() const;
  QLineEdit& search() { return *search_; }
  QListWidget& contents() { return *contents_; }

 private:
  void fill_contents();
  void find_next();

  QLineEdit* search_;
  QListWidget* contents_;
  QTextBrowser* page_;
};

/// What the manual says of where the keys are: the chapter named by the nearest widget's "chapter"
/// property, from `of` upwards; empty: none.
QString chapter_of(const QWidget* of);

}  // namespace drevan::desktop

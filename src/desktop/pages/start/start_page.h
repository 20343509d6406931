// SPDX-License-Identifier: GPL-3.0-or-later
// What there is before anything is open: the reels that were open last, the demo, a place to drop
// files or a folder.
#pragma once

#include <QWidget>

class QListWidget;

namespace drevan::desktop {

class StartPage : public QWidget {
  Q_OBJECT

 public:
  explicit StartPage(QWidget* parent = nullptr);
  /// Looks again which reels there are.
  void refresh();
  QListWidget& recent() { return *recent_; }

 Q_SIGNALS:
  void reel_wanted(const QString& file);
  void open_wanted();
  void files_wanted();
  void record_wanted();
  void folder_wanted();

 protected:
  void paintEvent(QPaintEvent*) override;
  void showEvent(QShowEvent*) override;

 private:
  QWidget* make_drop();

  QListWidget* recent_;
  QWidget *drop_, *recent_part_;
};

}  // namespace drevan::desktop

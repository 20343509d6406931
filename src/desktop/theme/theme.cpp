// SPDX-License-Identifier: GPL-3.0-or-later
#include "theme/theme.h"

#include <QFontDatabase>
#include <QPalette>

// Resources of a static library are linked in only when somebody asks for them by name.
static void take_resources() { Q_INIT_RESOURCE(theme); }

namespace drevan::desktop {

namespace {

Theme timber() {
  return {"timber",  "#1d1916", "#262019", "#312920", "#463b2f", "#efe7da",
          "#b3a593", "#9dbb74", "#e0a63d", "#d4573f", "#7fa8b8", "#b184b4"};
}

Theme birch() {
  return {"birch",   "#f4eee4", "#fbf8f2", "#e7decf", "#cdc0ac", "#2a231c",
          "#6d6050", "#5f8038", "#a86f08", "#b93c24", "#39728a", "#8a4f8e"};
}

Theme& current() {
  static Theme t = timber();
  return t;
}

QString style_sheet(const Theme& t) {
  QString s = R"(
    QWidget { color: @text; background: transparent; selection-background-color: @attention;
              selection-color: @window; }
    QMainWindow, QDialog, QMessageBox, QFileDialog { background: @window; }
    QToolTip { color: @text; background: @raised; border: 1px solid @line; padding: 4px 6px; }
    QMenuBar { background: transparent; spacing: 2px; }
    QMenuBar::item { padding: 5px 9px; border-radius: 5px; color: @quiet; }
    QMenuBar::item:selected { background: @raised; color: @text; }
    QMenu { background: @raised; border: 1px solid @line; padding: 5px; }
    QMenu::item { padding: 5px 22px 5px 14px; border-radius: 4px; }
    QMenu::item:selected { background: @line; }
    QMenu::item:disabled { color: @line; }
    QMenu::separator { height: 1px; background: @line; margin: 5px 8px; }
    QPushButton { background: @raised; border: 1px solid @line; border-radius: 6px; padding: 5px 12px; }
    QPushButton:hover { border-color: @quiet; }
    QPushButton:pressed, QPushButton:checked { background: @line; }
    QPushButton:focus, QToolButton:focus { border: 1px solid @attention; }
    QPushButton:disabled { color: @line; }
    QPushButton#primary { background: @after; color: @window; border-color: @after; font-weight: bold; }
    QPushButton#primary:disabled { background: @raised; color: @line; border-color: @line; }
    QPushButton#primary:focus { border-color: @text; }
    QToolButton { background: transparent; border: 1px solid transparent; border-radius: 6px;
                  padding: 4px 8px; color: @quiet; }
    QToolButton:hover { background: @raised; color: @text; }
    QToolButton:checked { background: @raised; color: @attention; border-color: @attention; }
    QToolButton#advice_action { background: @raised; border-color: @line; color: @text; padding: 2px 10px; }
    QToolButton#advice_action:hover { border-color: @attention; }
    QToolButton#advice_action:focus { border-color: @attention; }
    QToolButton::menu-indicator { image: none; }
    QWidget#panel { background: @panel; border-radius: 6px; }
    QToolButton#place { border: none; border-bottom: 3px solid transparent; border-radius: 0;
                        padding: 9px 4px; margin: 0 8px; background: transparent; font-size: 14px; }
    QToolButton#place:checked { color: @text; border-bottom-color: @attention; font-weight: bold; }
    QToolButton#place:focus { color: @text; border-bottom-color: @quiet; }
    QToolButton#place:checked:focus { border-bottom-color: @attention; color: @attention; }
    QLineEdit, QComboBox, QDoubleSpinBox { background: @window; border: 1px solid @line;
              border-radius: 5px; padding: 4px 7px; }
    QLineEdit:focus, QComboBox:focus { border-color: @attention; }
    QComboBox::drop-down { border: none; width: 18px; }
    QComboBox::down-arrow { image: url(:/marks/down.png); width: 9px; height: 9px; margin-right: 6px; }
    QComboBox QAbstractItemView { background: @raised; border: 1px solid @line; }
    QCheckBox { spacing: 7px; color: @quiet; }
    QCheckBox:hover, QCheckBox:focus { color: @text; }
    QCheckBox::indicator, QAbstractItemView::indicator { width: 13px; height: 13px;
              border: 1px solid @quiet; border-radius: 3px; background: @window; }
    QCheckBox::indicator:checked, QAbstractItemView::indicator:checked { background: @after;
              border-color: @after; image: url(:/marks/check.png); }
    QScrollBar:horizontal { height: 10px; background: transparent; }
    QScrollBar:vertical { width: 10px; background: transparent; }
    QScrollBar::handle { background: @line; border-radius: 3px; margin: 2px; min-width: 24px; min-height: 24px; }
    QScrollBar::handle:hover { background: @quiet; }
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {
              width: 0; height: 0; background: none; }
    QHeaderView::section { background: @window; color: @quiet; border: none;
              border-bottom: 1px solid @line; padding: 6px 3px; }
    QTableView { background: @panel; border: none; gridline-color: transparent;
              selection-background-color: @raised; selection-color: @text; outline: none; }
    QScrollArea, QAbstractScrollArea { border: none; }
    QListView, QTreeView { background: @panel; border: 1px solid @line; border-radius: 6px; outline: none;
              selection-background-color: @raised; selection-color: @text; }
    QListView::item, QTreeView::item { min-height: 22px; }
    QListView::item:selected, QTreeView::item:selected { background: @raised; }
    QProgressBar { background: @window; border: none; border-radius: 4px; max-height: 8px; }
    QProgressBar::chunk { background: @after; border-radius: 4px; }
    QLabel#quiet { color: @quiet; }
    QLabel#message { color: @attention; }
    QLabel#heading { font-size: 15px; font-weight: bold; }
  )";
  const std::pair<const char*, QColor> roles[] = {
      {"@window", t.window}, {"@panel", t.panel},
      {"@raised", t.raised}, {"@line", t.line},
      {"@text", t.text},     {"@quiet", t.quiet},
      {"@after", t.after},   {"@attention", t.attention},
      {"@before", t.before}, {"@removed", t.removed},
      {"@over", t.over}};
  for (const auto& [role, color] : roles) s.replace(role, color.name());
  return s;
}

}  // namespace

const Theme& theme() { return current(); }

QColor faded(QColor color, double opacity) {
  color.setAlphaF(static_cast<float>(opacity));
  return color;
}

QFont small_font() {
  QFont f = QApplication::font();
  f.setPixelSize(11);
  return f;
}

QFont bold_font() {
  QFont f = QApplication::font();
  f.setBold(true);
  return f;
}

QFont heading_font() {
  QFont f = bold_font();
  f.setPixelSize(15);
  return f;
}

void apply_theme(QApplication& app, const QString& name) {
  take_resources();
  static const bool fonts = QFontDatabase::addApplicationFont(":/fonts/Lato-Regular.ttf") >= 0 &&
                            QFontDatabase::addApplicationFont(":/fonts/Lato-Bold.ttf") >= 0;
  Q_UNUSED(fonts);
  current() = name == "birch" ? birch() : timber();
  QFont font("Lato");
  font.setPixelSize(13);
  app.setStyle("fusion");
  app.setFont(font);
  const Theme& t = theme();
  QPalette p;
  p.setColor(QPalette::Window, t.window);
  p.setColor(QPalette::WindowText, t.text);
  p.setColor(QPalette::Base, t.panel);
  p.setColor(QPalette::AlternateBase, t.raised);
  p.setColor(QPalette::Text, t.text);
  p.setColor(QPalette::Button, t.raised);
  p.setColor(QPalette::ButtonText, t.text);
  p.setColor(QPalette::Highlight, t.attention);
  p.setColor(QPalette::HighlightedText, t.window);
  p.setColor(QPalette::PlaceholderText, t.quiet);
  app.setPalette(p);
  app.setStyleSheet(style_sheet(t));
}

}  // namespace drevan::desktop

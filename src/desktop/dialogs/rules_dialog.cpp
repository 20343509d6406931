// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/rules_dialog.h"

#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

#include "audio/error.h"
#include "reel/files/json_file.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/recipe_files.h"

namespace drevan::desktop {

namespace {
enum Column { group, name, recipe, how };
}

RulesDialog::RulesDialog(const Work& work, QWidget* parent)
    : ReelSheet(work.document, parent), work_(work), library_(read_library(library_folder())) {
  setWindowTitle(tr("Rules"));
  setObjectName("rules");
  resize(660, 320);
  auto* note = new QLabel(tr("The first rule that matches a clip's group and name gives it its "
                             "recipe. * stands for anything, ? for one character."),
                          this);
  note->setObjectName("quiet");
  note->setWordWrap(true);
  table_ = new QTableWidget(0, 4, this);
  table_->setAccessibleName(tr("Rules"));
  table_->setHorizontalHeaderLabels({tr("Group"), tr("Clip"), tr("Recipe"), tr("How")});
  table_->verticalHeader()->hide();
  table_->horizontalHeader()->setStretchLastSection(true);
  table_->setColumnWidth(group, 120);
  table_->setColumnWidth(name, 120);
  table_->setColumnWidth(recipe, 230);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  told_ = new QLabel(this);
  told_->setObjectName("quiet");
  auto* add = new QPushButton(tr("Add a rule"), this);
  auto* drop = new QPushButton(tr("Take out"), this);
  up_ = new QPushButton(tr("Up"), this);
  up_->setToolTip(tr("The chosen rule is asked earlier (Alt and arrow up)"));
  up_->setShortcut(QKeySequence(Qt::ALT | Qt::Key_Up));
  down_ = new QPushButton(tr("Down"), this);
  down_->setToolTip(tr("The chosen rule is asked later (Alt and arrow down)"));
  down_->setShortcut(QKeySequence(Qt::ALT | Qt::Key_Down));
  auto* open = new QPushButton(tr("Open ..."), this);
  auto* keep = new QPushButton(tr("Save ..."), this);
  keep->setToolTip(tr("As a rules file, which drevan-cli takes with --rules"));
  apply_ = new QPushButton(tr("Give the recipes"), this);
  apply_->setObjectName("primary");
  auto* row = new QHBoxLayout;
  for (auto* b : {add, drop, up_, down_, open, keep}) row->addWidget(b);
  row->addStretch();
  row->addWidget(apply_);
  auto* box = new QVBoxLayout(this);
  box->addWidget(note);
  box->addWidget(table_, 1);
  box->addWidget(told_);
  box->addLayout(row);
  connect(add, &QPushButton::clicked, this, [this] { add_rule(); });
  connect(drop, &QPushButton::clicked, this, [this] {
    if (table_->currentRow() >= 0) table_->removeRow(table_->currentRow());
    count();
  });
  connect(up_, &QPushButton::clicked, this, [this] { move(-1); });
  connect(down_, &QPushButton::clicked, this, [this] { move(1); });
  connect(table_, &QTableWidget::currentCellChanged, this, &RulesDialog::count);
  connect(open, &QPushButton::clicked, this, &RulesDialog::load);
  connect(keep, &QPushButton::clicked, this, &RulesDialog::save);
  connect(apply_, &QPushButton::clicked, this, &RulesDialog::apply);
  connect(table_, &QTableWidget::cellChanged, this, &RulesDialog::count);
  connect(&work_.document, &Document::reel_changed, this, &RulesDialog::count);
  begin_rows();
}

// A row for each group is what most reels want; rules that somebody made stay for the next reel.
void RulesDialog::begin_rows() {
  QStringList groups;
  for (const auto& g : work_.document.reel().groups) groups << QString::fromStdString(g.name);
  const auto now = rules();
  const bool made = std::ranges::any_of(now, [](const Rule& r) { return !r.keep; });
  if (!made && groups != seeded_) {
    table_->setRowCount(0);
    library_ = read_library(library_folder());
    for (const auto& g : groups) add_rule(g);
    seeded_ = groups;
  }
}

void RulesDialog::showEvent(QShowEvent* e) {
  QDialog::showEvent(e);
  begin_rows();
  count();
}

// Rules trade places by what they say; the cells stay.
void RulesDialog::move(int by) {
  const int from = table_->currentRow(), to = from + by;
  if (from < 0 || to < 0 || to >= table_->rowCount()) return;
  for (const int column : {group, name}) {
    auto* a = table_->takeItem(from, column);
    table_->setItem(from, column, table_->takeItem(to, column));
    table_->setItem(to, column, a);
  }
  for (const int column : {recipe, how}) {
    auto* a = qobject_cast<QComboBox*>(table_->cellWidget(from, column));
    auto* b = qobject_cast<QComboBox*>(table_->cellWidget(to, column));
    const int was = a->currentIndex();
    a->setCurrentIndex(b->currentIndex());
    b->setCurrentIndex(was);
  }
  table_->setCurrentCell(to, table_->currentColumn());
  count();
}

void RulesDialog::add_rule(const QString& group_pattern, const QString& name_pattern,
                           const QString& wanted, bool append) {
  const int row = table_->rowCount();
  table_->insertRow(row);
  table_->setItem(row, group, new QTableWidgetItem(group_pattern));
  table_->setItem(row, name, new QTableWidgetItem(name_pattern));
  auto* recipes = new QComboBox(table_);
  recipes->setAccessibleName(tr("Recipe of rule %1").arg(row + 1));
  recipes->addItem(tr("its own steps stay"), -1);
  for (size_t i = 0; i < library_.size(); ++i)
    recipes->addItem(QString::fromStdString(library_[i].recipe.name), static_cast<int>(i));
  recipes->setCurrentIndex(std::max(0, recipes->findText(wanted)));
  table_->setCellWidget(row, recipe, recipes);
  auto* ways = new QComboBox(table_);
  ways->setAccessibleName(tr("How rule %1 is used").arg(row + 1));
  ways->addItems({tr("in place"), tr("after")});
  ways->setCurrentIndex(append ? 1 : 0);
  table_->setCellWidget(row, how, ways);
  connect(recipes, &QComboBox::currentIndexChanged, this, &RulesDialog::count);
  connect(ways, &QComboBox::currentIndexChanged, this, &RulesDialog::count);
  count();
}

std::vector<Rule> RulesDialog::rules() const {
  std::vector<Rule> out;
  for (int row = 0; row < table_->rowCount(); ++row) {
    const auto* recipes = qobject_cast<QComboBox*>(table_->cellWidget(row, recipe));
    const auto* ways = qobject_cast<QComboBox*>(table_->cellWidget(row, how));
    const auto text_of = [&](int column) {
      return table_->item(row, column) ? table_->item(row, column)->text().trimmed().toStdString()
                                       : std::string();
    };
    if (!recipes || !ways) continue;
    const int which = recipes->currentData().toInt();
    Rule rule{
        text_of(group), text_of(name), {}, which >= 0 && ways->currentIndex() == 1, which < 0};
    if (!rule.keep) rule.recipe = library_[static_cast<size_t>(which)].recipe;
    out.push_back(std::move(rule));
  }
  return out;
}

void RulesDialog::count() {
  if (!isVisible()) return;
  up_->setEnabled(table_->currentRow() > 0);
  down_->setEnabled(table_->currentRow() >= 0 && table_->currentRow() + 1 < table_->rowCount());
  Reel after = work_.document.reel();
  const int changed = apply_rules(after, rules());
  told_->setText(changed == 0 ? tr("No clip's chain changes.")
                              : tr("%1 would get other steps.").arg(counted(changed, tr("clip"))));
  apply_->setEnabled(changed > 0);
}

void RulesDialog::apply() {
  Reel next = work_.document.history().now();
  const int changed = apply_rules(next, rules());
  if (changed == 0) return;
  work_.document.change([&](const Reel&) {
    return edits::Edit{std::move(next),
                       tr("Rules for %1").arg(counted(changed, tr("clip"))).toStdString()};
  });
}

void RulesDialog::load() {
  const auto file = QFileDialog::getOpenFileName(this, tr("Open rules"), {}, tr("Rules (*.rules)"));
  if (file.isEmpty()) return;
  try {
    const auto read = load_rules(file.toStdString());
    table_->setRowCount(0);
    for (const auto& r : read) {
      // A recipe that the library has not is known for as long as the dialog is open.
      if (!r.keep && std::ranges::none_of(library_, [&](const LibraryEntry& e) {
            return e.recipe.name == r.recipe.name;
          }))
        library_.push_back({r.recipe, file.toStdString()});
      add_rule(QString::fromStdString(r.group), QString::fromStdString(r.name),
               QString::fromStdString(r.recipe.name), r.append);
    }
  } catch (const Error& e) {
    work_.notices.warn(e);
  }
}

void RulesDialog::save() {
  auto file =
      QFileDialog::getSaveFileName(this, tr("Save rules"), "reel.rules", tr("Rules (*.rules)"));
  if (file.isEmpty()) return;
  if (!file.endsWith(".rules")) file += ".rules";
  nlohmann::ordered_json out{{"drevan_rules", 1}, {"rules", nlohmann::ordered_json::array()}};
  for (const auto& r : rules()) {
    nlohmann::ordered_json one{{"group", r.group}, {"name", r.name}};
    const auto at = std::ranges::find_if(
        library_, [&](const LibraryEntry& e) { return e.recipe.name == r.recipe.name; });
    if (r.keep || at == library_.end())
      one["keep"] = true;
    else
      one["recipe"] = at->own() ? at->recipe.name : at->file.string();
    if (r.append) one["append"] = true;
    out["rules"].push_back(std::move(one));
  }
  try {
    write_text(file.toStdString(), dump_json(out, 2));
  } catch (const Error& e) {
    work_.notices.warn(e);
  }
}

}  // namespace drevan::desktop

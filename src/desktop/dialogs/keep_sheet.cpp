// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/keep_sheet.h"

#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTreeWidget>

#include "steps/curve_edit.h"
#include "widgets/words.h"

namespace drevan::desktop {

namespace {

// What an entry below a step stands for: a setting, words or a file, or the curve of a setting (or
// of on_parameter).
enum class Entry { value, text, curve };
constexpr int index_role = Qt::UserRole, entry_role = Qt::UserRole + 1;

void add_entry(QTreeWidgetItem* step, const QString& label, int index, Entry entry) {
  auto* item = new QTreeWidgetItem(step, {label});
  item->setData(0, index_role, index);
  item->setData(0, entry_role, static_cast<int>(entry));
  item->setCheckState(0, Qt::Checked);
}

}  // namespace

KeepSheet::KeepSheet(const Reel& reel, const Clip& clip, QWidget* parent) : QDialog(parent) {
  setWindowTitle(tr("Keep as a recipe"));
  setObjectName("keep_sheet");
  resize(460, 420);
  name_ = new QLineEdit(QString::fromStdString(clip.name), this);
  name_->setObjectName("name");
  name_->selectAll();
  note_ = new QLineEdit(this);
  note_->setPlaceholderText(tr("What it is for"));
  tags_ = new QLineEdit(this);
  tags_->setPlaceholderText(tr("With commas between"));
  list_ = new QTreeWidget(this);
  list_->setHeaderHidden(true);
  list_->setAccessibleName(tr("Steps of the recipe"));
  list_->setToolTip(tr(
      "Ticked steps go into the recipe. Unfold one to choose among its settings and curves: what "
      "is not ticked is standard."));
  show_steps(reel, clip);
  told_ = new QLabel(this);
  told_->setObjectName("quiet");
  auto* leave = new QPushButton(tr("Cancel"), this);
  keep_ = new QPushButton(tr("Keep"), this);
  keep_->setObjectName("primary");
  keep_->setDefault(true);
  auto* form = new QFormLayout(this);
  form->addRow(tr("Name"), name_);
  form->addRow(tr("Note"), note_);
  form->addRow(tr("Tags"), tags_);
  form->addRow(tr("Steps"), list_);
  auto* row = new QHBoxLayout;
  row->addWidget(told_, 1);
  row->addWidget(leave);
  row->addWidget(keep_);
  form->addRow(row);
  connect(leave, &QPushButton::clicked, this, &QDialog::reject);
  connect(keep_, &QPushButton::clicked, this, &QDialog::accept);
  connect(name_, &QLineEdit::textChanged, this, &KeepSheet::judge);
  connect(list_, &QTreeWidget::itemChanged, this, &KeepSheet::judge);
  judge();
}

void KeepSheet::show_steps(const Reel& reel, const Clip& clip) {
  const bool own = !clip.chain.steps.empty();
  for (const auto owner : owners_of(clip))
    for (ChainStep step : chain_of(reel, clip, owner).steps) {
      // In a recipe seconds count from where it is used.
      if (owner != ChainOwner::clip) shift_curves(step, -clip.place.s);
      const QString where =
          owner == ChainOwner::clip ? QString()
          : owner == ChainOwner::group
              ? tr("   (%1)").arg(QString::fromStdString(reel.group_of(clip).name))
              : tr("   (the whole reel)");
      add_step(step, where, owner == ChainOwner::clip || !own);
    }
}

void KeepSheet::add_step(const ChainStep& step, const QString& where, bool ticked) {
  steps_.push_back(step);
  const auto& type = *step.type;
  const QString brief = step.on ? QString::fromStdString(type.brief(step.settings)) : tr("off");
  auto* item = new QTreeWidgetItem(list_, {tr("%1, %2%3").arg(text(type.label), brief, where)});
  item->setCheckState(0, ticked ? Qt::Checked : Qt::Unchecked);
  for (int i = 0; i < std::ssize(type.parameters); ++i) {
    const auto& p = type.parameters[static_cast<size_t>(i)];
    const double value = step.settings[static_cast<size_t>(i)];
    if (value != p.standard)
      add_entry(item, tr("%1 %2").arg(text(p.label), QString::fromStdString(value_text(p, value))),
                i, Entry::value);
  }
  for (int i = 0; i < std::ssize(type.texts); ++i) {
    const auto& p = type.texts[static_cast<size_t>(i)];
    const auto& words = step.settings.texts[static_cast<size_t>(i)];
    if (words != p.standard)
      add_entry(item, tr("%1 %2").arg(text(p.label), text(words)), i, Entry::text);
  }
  for (const auto& track : step.curves)
    add_entry(item,
              tr("%1 over time, %2")
                  .arg(text(parameter_of_track(type, track.parameter).label),
                       counted(std::ssize(track.curve->points), tr("point"))),
              track.parameter, Entry::curve);
}

ChainStep KeepSheet::ticked(int row) const {
  ChainStep step = steps_[static_cast<size_t>(row)];
  const QTreeWidgetItem* item = list_->topLevelItem(row);
  for (int i = 0; i < item->childCount(); ++i) {
    const QTreeWidgetItem* entry = item->child(i);
    if (entry->checkState(0) == Qt::Checked) continue;
    const int index = entry->data(0, index_role).toInt();
    const auto at = static_cast<size_t>(index);
    switch (static_cast<Entry>(entry->data(0, entry_role).toInt())) {
      case Entry::value:
        step.settings.values[at] = step.type->parameters[at].standard;
        break;
      case Entry::text:
        step.settings.texts[at] = step.type->texts[at].standard;
        break;
      case Entry::curve:
        std::erase_if(step.curves, [&](const Track& t) { return t.parameter == index; });
        break;
    }
  }
  return step;
}

Recipe KeepSheet::recipe() const {
  Recipe out{name_->text().trimmed().toStdString(),
             note_->text().trimmed().toStdString(),
             {},
             tags_of(tags_->text())};
  for (int i = 0; i < list_->topLevelItemCount(); ++i)
    if (list_->topLevelItem(i)->checkState(0) == Qt::Checked) out.chain.steps.push_back(ticked(i));
  out.chain = for_everyone(std::move(out.chain));
  return out;
}

void KeepSheet::judge() {
  const auto now = recipe();
  keep_->setEnabled(!now.name.empty() && !now.chain.steps.empty());
  told_->setText(now.name.empty()          ? tr("It needs a name.")
                 : now.chain.steps.empty() ? tr("It needs a step.")
                                           : counted(std::ssize(now.chain.steps), tr("step")));
}

}  // namespace drevan::desktop

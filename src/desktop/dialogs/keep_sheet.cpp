#include "dialogs/keep_sheet.h"

#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>

#include "widgets/words.h"

namespace drevan::desktop {

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
  list_ = new QListWidget(this);
  list_->setAccessibleName(tr("Steps of the recipe"));
  list_->setToolTip(tr("Ticked steps go into the recipe"));
  const bool own = !clip.chain.steps.empty();
  for (const auto owner : {ChainOwner::clip, ChainOwner::group, ChainOwner::reel})
    for (const auto& step : chain_of(reel, clip, owner).steps) {
      steps_.push_back(step);
      // In a recipe seconds count from where it is used.
      if (owner != ChainOwner::clip) shift_curves(steps_.back(), -clip.place_s);
      const QString where = owner == ChainOwner::clip ? QString()
                            : owner == ChainOwner::group
                                ? tr("   (%1)").arg(QString::fromStdString(
                                      reel.groups[static_cast<size_t>(clip.group)].name))
                                : tr("   (the whole reel)");
      const QString brief =
          step.on ? QString::fromStdString(step.type->brief(step.settings)) : tr("off");
      auto* item =
          new QListWidgetItem(tr("%1, %2%3").arg(text(step.type->label), brief, where), list_);
      item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
      item->setCheckState(owner == ChainOwner::clip || !own ? Qt::Checked : Qt::Unchecked);
    }
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
  connect(list_, &QListWidget::itemChanged, this, &KeepSheet::judge);
  judge();
}

Recipe KeepSheet::recipe() const {
  Recipe out{name_->text().trimmed().toStdString(),
             note_->text().trimmed().toStdString(),
             {},
             tags_of(tags_->text())};
  for (int i = 0; i < list_->count(); ++i)
    if (list_->item(i)->checkState() == Qt::Checked)
      out.chain.steps.push_back(steps_[static_cast<size_t>(i)]);
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

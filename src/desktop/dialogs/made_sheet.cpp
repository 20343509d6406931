// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/made_sheet.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLabel>
#include <QPushButton>

#include "engine/making/made_sound.h"
#include "work/document.h"
#include "work/jobs.h"
#include "work/scene_films.h"
#include "work/selection.h"

namespace drevan::desktop {

MadeSheet::MadeSheet(const Work& work, ReelTime place, QWidget* parent)
    : ReelSheet(work.document, parent), work_(work), place_(place) {
  setWindowTitle(tr("A clip of tone, noise or silence"));
  setObjectName("made_sheet");
  setProperty("chapter", tr("Against the picture"));
  auto* form = new QFormLayout(this);
  form->setLabelAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  kind_ = new QComboBox(this);
  kind_->setObjectName("made_kind");
  kind_->addItems({tr("Tone"), tr("Pink noise: as loud in every octave"),
                   tr("White noise: as loud in every Hz"), tr("Silence"),
                   tr("Room tone of the group")});
  form->addRow(tr("Sound"), kind_);
  const auto number = [&](const QString& name, const QString& label, double least, double most,
                          double value, const QString& unit, int decimals) {
    auto* box = new QDoubleSpinBox(this);
    box->setObjectName(name);
    box->setAccessibleName(label);
    box->setRange(least, most);
    box->setDecimals(decimals);
    box->setValue(value);
    box->setSuffix(" " + unit);
    form->addRow(label, box);
    return box;
  };
  // Up to the next event, which is mostly what is to be filled.
  double seconds = 10;
  for (const Event& e : work.document.reel().events)
    if (e.at > place + ReelSpan{least_made_s}) {
      seconds = (e.at - place).s;
      break;
    }
  seconds_ = number("made_seconds", tr("Length"), least_made_s, most_made_s, seconds, tr("s"), 2);
  level_ = number("made_level", tr("Level"), least_made_db, most_made_db, -20, tr("dBFS"), 1);
  level_->setToolTip(
      tr("The peak of a tone; noise has the power that a tone of this level would have"));
  hz_ = number("made_hz", tr("Frequency"), least_made_hz, most_made_hz, 1000, tr("Hz"), 0);
  where_ = new QLabel(this);
  where_->setObjectName("quiet");
  where_->setWordWrap(true);
  form->addRow(where_);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, this);
  QPushButton* make = buttons->addButton(tr("Make it"), QDialogButtonBox::AcceptRole);
  make->setObjectName("made_make");
  make->setDefault(true);
  form->addRow(buttons);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::close);
  connect(buttons, &QDialogButtonBox::accepted, this, &MadeSheet::make);
  connect(kind_, &QComboBox::currentIndexChanged, this, &MadeSheet::show_state);
  show_state();
}

void MadeSheet::show_state() {
  const auto kind = static_cast<MadeKind>(kind_->currentIndex());
  hz_->setEnabled(kind == MadeKind::tone);
  level_->setEnabled(kind != MadeKind::silence && kind != MadeKind::room_tone);
  const Clip* clip = work_.selection.clip();
  const QString group = clip && !is_bus(*clip)
                            ? QString::fromStdString(work_.document.reel().group_of(*clip).name)
                            : tr("a group of its own");
  where_->setText(tr("It begins at %1, in %2.").arg(work_.films.moment_text(place_.s), group));
}

void MadeSheet::make() {
  work_.jobs.make_sound({static_cast<MadeKind>(kind_->currentIndex()), seconds_->value(),
                         level_->value(), hz_->value()},
                        place_);
  close();
}

}  // namespace drevan::desktop

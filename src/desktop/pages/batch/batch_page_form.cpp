// SPDX-License-Identifier: GPL-3.0-or-later
// The Batch's form: what is rendered, where to, in which formats.
#include "pages/batch/batch_page.h"
#include "work/document.h"
#include "work/mix_sum.h"
#include "work/reel_memory.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDir>
#include <QHBoxLayout>
#include <QJsonArray>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QProgressBar>
#include <QPushButton>
#include <QSettings>
#include <QToolButton>

namespace drevan::desktop {

namespace {

QLabel* caption(const QString& label, QWidget* parent) {
  auto* l = new QLabel(label, parent);
  l->setObjectName("quiet");
  return l;
}

// The other formats that can be written at once, as the list of the button "Also".
constexpr std::pair<const char*, OutputFormat> also_formats[] = {
    {"WAV, 16 bit", {Container::wav, SampleType::int16}},
    {"WAV, 24 bit", {Container::wav, SampleType::int24}},
    {"WAV, 32 bit float", {Container::wav, SampleType::float32}},
    {"FLAC, 16 bit", {Container::flac, SampleType::int16}},
    {"FLAC, 24 bit", {Container::flac, SampleType::int24}}};

}  // namespace

QHBoxLayout* BatchPage::make_form() {
  QSettings settings;
  what_ = new QComboBox(this);
  what_->setObjectName("what");
  what_->addItems({tr("each clip"), tr("a file per group"), tr("the reel as one mix"),
                   tr("mix and groups as stems"), tr("clips, mix and stems")});
  what_->setAccessibleName(tr("What is rendered"));
  what_->setToolTip(
      tr("Mix and groups lay every clip down at its place in the reel; the groups' files are stems "
         "that sum to the mix"));
  what_->setCurrentIndex(std::clamp(settings.value("batch/what", 0).toInt(), 0, 4));
  folder_ = new QLineEdit(settings.value("batch/folder", QDir::homePath() + "/rendered").toString(),
                          this);
  folder_->setObjectName("folder");
  folder_->setAccessibleName(tr("Output folder"));
  folder_->setToolTip(tr("Where the files go; it is made when it is not there"));
  choose_ = new QPushButton(tr("Choose ..."), this);
  choose_->setToolTip(tr("Chooses the output folder"));
  pattern_ = new QLineEdit(settings.value("batch/pattern", "{clip}").toString(), this);
  pattern_->setObjectName("pattern");
  pattern_->setAccessibleName(tr("File name"));
  pattern_->setToolTip(
      tr("Name of each file: {clip}, {group}, {reel} and {number} are filled in; the column File "
         "shows how"));
  words_ = new QToolButton(this);
  words_->setObjectName("words");
  words_->setText("{ }");
  words_->setAccessibleName(tr("Words for the name"));
  words_->setToolTip(tr("Puts {clip}, {group}, {reel} or {number} into the name"));
  words_->setPopupMode(QToolButton::InstantPopup);
  words_->setMenu(make_words());
  pattern_->setMinimumWidth(80);
  pattern_->setMaximumWidth(150);
  auto* row = new QHBoxLayout;
  row->setSpacing(8);
  row->addWidget(caption(tr("Render"), this));
  row->addWidget(what_);
  row->addSpacing(10);
  row->addWidget(caption(tr("Folder"), this));
  row->addWidget(folder_, 1);
  row->addWidget(choose_);
  row->addSpacing(10);
  row->addWidget(caption(tr("Name"), this));
  row->addWidget(pattern_);
  row->addWidget(words_);
  return row;
}

QHBoxLayout* BatchPage::make_formats() {
  QSettings settings;
  container_ = new QComboBox(this);
  container_->addItems({"WAV", "FLAC"});
  container_->setCurrentIndex(settings.value("batch/container", 0).toInt());
  container_->setAccessibleName(tr("File format"));
  container_->setToolTip(tr("WAV, or FLAC: the same sound in about half the space"));
  samples_ = new QComboBox(this);
  samples_->addItems({tr("16 bit"), tr("24 bit"), tr("32 bit float")});
  samples_->setCurrentIndex(settings.value("batch/samples", 1).toInt());
  samples_->setAccessibleName(tr("Bits"));
  samples_->setToolTip(tr("Bits of each sample; 16 bit is dithered"));
  also_ = new QToolButton(this);
  also_->setObjectName("also");
  also_->setAccessibleName(tr("Other formats"));
  also_->setPopupMode(QToolButton::InstantPopup);
  also_->setToolTip(tr("Writes the same in these formats too, in one go"));
  auto* menu = new QMenu(also_);
  const auto wanted = settings.value("batch/also").toStringList();
  for (const auto& [label, format] : also_formats) {
    QAction* a = menu->addAction(tr(label));
    a->setCheckable(true);
    a->setChecked(wanted.contains(label));
    connect(a, &QAction::toggled, this, &BatchPage::refresh);
  }
  also_->setMenu(menu);
  rate_ = new QComboBox(this);
  rate_->setAccessibleName(tr("Rate"));
  rate_->setToolTip(tr("Samples a second of the files; other rates are made from the reel's"));
  rate_->addItem(tr("the reel's rate"), 0);
  for (const int hz : {44100, 48000, 96000}) rate_->addItem(tr("%1 kHz").arg(hz / 1000.0), hz);
  rate_->setCurrentIndex(std::max(0, rate_->findData(settings.value("batch/rate", 0).toInt())));
  target_ = new QComboBox(this);
  target_->setObjectName("target");
  target_->setAccessibleName(tr("Target"));
  target_->setToolTip(tr("What every clip is judged by; it belongs to the reel"));
  target_->addItem(tr("none"), QString());
  for (const Target& t : targets())
    target_->addItem(QString::fromStdString(t.label), QString::fromStdString(t.id));
  rules_button_ = new QPushButton(tr("Rules ..."), this);
  rules_button_->setToolTip(tr("Which recipe each clip gets, by its group and name"));
  mix_chain_ = new QCheckBox(tr("mix chain"), this);
  mix_chain_->setObjectName("mix_chain");
  mix_chain_->setChecked(settings.value("batch/mix_chain", true).toBool());
  mix_chain_->setToolTip(
      tr("The mix goes through the reel's mix chain; stems sum to what enters it"));
  open_mix_ = new QPushButton(tr("The mix on the Bench"), this);
  open_mix_->setObjectName("open_mix");
  open_mix_->setToolTip(
      tr("Sums all clips, and opens the sum's level path and the mix chain (Ctrl+M)"));
  connect(open_mix_, &QPushButton::clicked, this, [this] { work_.mix_sum.open(); });
  auto* row = new QHBoxLayout;
  row->setSpacing(8);
  row->addWidget(caption(tr("Format"), this));
  for (QWidget* w : std::initializer_list<QWidget*>{container_, samples_, also_, rate_})
    row->addWidget(w);
  row->addSpacing(10);
  row->addWidget(caption(tr("Target"), this));
  row->addWidget(target_);
  row->addStretch();
  for (QWidget* w : std::initializer_list<QWidget*>{mix_chain_, open_mix_, rules_button_})
    row->addWidget(w);
  // A narrow window makes them narrow; their tooltips and lists tell all of it.
  for (QWidget* w :
       std::initializer_list<QWidget*>{what_, container_, samples_, rate_, target_, open_mix_})
    w->setMinimumWidth(64);
  return row;
}

QHBoxLayout* BatchPage::make_run() {
  QSettings settings;
  all_box_ = new QCheckBox(tr("all clips"), this);
  all_box_->setObjectName("all_clips");
  all_box_->setToolTip(tr("Ticks all clips, or none"));
  all_box_->setChecked(true);
  changed_ = new QCheckBox(tr("only what changed"), this);
  changed_->setObjectName("only_changed");
  changed_->setChecked(settings.value("batch/only_changed", true).toBool());
  changed_->setToolTip(
      tr("Leaves files alone that a batch into this folder made before, when source, chain and "
         "format are the same"));
  overwrite_ = new QCheckBox(tr("overwrite"), this);
  overwrite_->setObjectName("overwrite");
  overwrite_->setChecked(settings.value("batch/overwrite", false).toBool());
  overwrite_->setToolTip(
      tr("Also replaces files in the way that no batch of Drevan made; otherwise the new ones get "
         "a number. Recordings of the reel are never replaced"));
  same_length_ = new QCheckBox(tr("same length"), this);
  same_length_->setObjectName("same_length");
  same_length_->setChecked(settings.value("batch/same_length", false).toBool());
  same_length_->setToolTip(
      tr("Every file is exactly as long as its clip, so that it can take its place; what rings on "
         "is faded out. Otherwise it rings until it is silent"));
  render_ = new QPushButton(tr("Render"), this);
  render_->setObjectName("primary");
  render_->setToolTip(tr("Renders every ticked clip (Ctrl+Return)"));
  pause_ = new QPushButton(tr("Pause"), this);
  pause_->setObjectName("pause");
  pause_->setToolTip(tr("Workers wait where they are, or go on"));
  pause_->setCheckable(true);
  pause_->setEnabled(false);
  cancel_ = new QPushButton(tr("Cancel"), this);
  cancel_->setToolTip(tr("Ends the batch; files that are done stay, no half ones"));
  cancel_->setEnabled(false);
  report_ = new QPushButton(tr("Save report ..."), this);
  report_->setToolTip(tr("Levels, targets and chains of every file: HTML, JSON or CSV"));
  report_->setEnabled(false);
  progress_ = new QProgressBar(this);
  progress_->setTextVisible(false);
  progress_->setRange(0, 1000);
  status_ = new QLabel(this);
  status_->setObjectName("quiet");
  auto* row = new QHBoxLayout;
  row->setSpacing(10);
  row->addWidget(all_box_);
  row->addWidget(changed_);
  row->addWidget(overwrite_);
  row->addWidget(same_length_);
  row->addSpacing(12);
  row->addWidget(progress_, 1);
  row->addWidget(status_);
  for (auto* b : {report_, pause_, cancel_, render_}) {
    b->setMinimumWidth(64);
    row->addWidget(b);
  }
  progress_->setMinimumWidth(40);
  status_->setMinimumWidth(20);
  return row;
}

BatchOptions BatchPage::options() const {
  BatchOptions o;
  o.folder = folder_->text().trimmed().toStdString();
  o.pattern = pattern_->text().toStdString();
  o.container = container_->currentIndex() == 0 ? Container::wav : Container::flac;
  o.samples = static_cast<SampleType>(samples_->currentIndex());
  o.target = work_.document.target();
  o.only_changed = changed_->isChecked();
  o.overwrite = overwrite_->isChecked();
  o.length = same_length_->isChecked() ? RenderLength::same : RenderLength::ring;
  for (int i = 0; i < also_->menu()->actions().size(); ++i)
    if (also_->menu()->actions()[i]->isChecked() &&
        !(also_formats[i].second == OutputFormat{o.container, o.samples}))
      o.also.push_back(also_formats[i].second);
  o.pause = &paused_;
  return o;
}

QMenu* BatchPage::make_words() {
  auto* menu = new QMenu(this);
  const std::pair<const char*, QString> words[] = {{"{clip}", tr("the clip's name")},
                                                   {"{group}", tr("its group")},
                                                   {"{reel}", tr("the reel's name")},
                                                   {"{number}", tr("its number in the batch")}};
  for (const auto& [word, what] : words)
    connect(menu->addAction(QString("%1   %2").arg(word, what)), &QAction::triggered, this,
            [this, word = QString(word)] {
              pattern_->insert(word);
              pattern_->setFocus();
            });
  return menu;
}

QJsonObject BatchPage::form() const {
  QJsonArray also;
  for (const auto* a : also_->menu()->actions())
    if (a->isChecked()) also << a->text();
  return {{"what", what_->currentIndex()},
          {"folder", folder_->text()},
          {"pattern", pattern_->text()},
          {"container", container_->currentIndex()},
          {"samples", samples_->currentIndex()},
          {"rate", rate_->currentData().toInt()},
          {"only_changed", changed_->isChecked()},
          {"overwrite", overwrite_->isChecked()},
          {"same_length", same_length_->isChecked()},
          {"mix_chain", mix_chain_->isChecked()},
          {"also", also}};
}

void BatchPage::use_form(const QJsonObject& form) {
  what_->setCurrentIndex(std::clamp(form["what"].toInt(), 0, what_->count() - 1));
  folder_->setText(form["folder"].toString(folder_->text()));
  pattern_->setText(form["pattern"].toString(pattern_->text()));
  container_->setCurrentIndex(std::clamp(form["container"].toInt(), 0, 1));
  samples_->setCurrentIndex(std::clamp(form["samples"].toInt(1), 0, 2));
  rate_->setCurrentIndex(std::max(0, rate_->findData(form["rate"].toInt())));
  changed_->setChecked(form["only_changed"].toBool(true));
  overwrite_->setChecked(form["overwrite"].toBool());
  same_length_->setChecked(form["same_length"].toBool());
  mix_chain_->setChecked(form["mix_chain"].toBool(true));
  const auto also = form["also"].toArray();
  for (auto* a : also_->menu()->actions()) a->setChecked(also.contains(a->text()));
}

// For this reel, and for the next one that has none yet.
void BatchPage::keep_form() {
  const QJsonObject now = form();
  QSettings settings;
  for (auto at = now.begin(); at != now.end(); ++at)
    settings.setValue("batch/" + at.key(), at.key() == "also"
                                               ? at.value().toVariant().toStringList()
                                               : at.value().toVariant());
  keep_in_reel_memory(work_.document.file(), "batch", now);
}

}  // namespace drevan::desktop

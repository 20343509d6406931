// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/scene/mix_panel.h"

#include <QCheckBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QProgressBar>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

#include "dialogs/target_menu.h"
#include "reel/scene/scene_edits.h"
#include "theme/theme.h"
#include "widgets/last_folder.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/mix_watch.h"

namespace drevan::desktop {

// --- what is heard ---

namespace {
constexpr double first_band_hz = 40, last_band_hz = 16000;
constexpr double spectrum_floor_db = -84, top_db = -12;
constexpr double correlation_s = 0.4;
constexpr double alike_from = 0;  // below it the mono sum loses
}  // namespace

HeardPicture::HeardPicture(QWidget* parent)
    : QWidget(parent),
      window_(hann_window(size_)),
      time_(size_),
      bins_(size_ / 2 + 1),
      ring_(2 * size_),
      band_db_(bands_, spectrum_floor_db) {
  setMinimumHeight(64);
  setAccessibleName(tr("Spectrum and correlation of what is heard"));
  setToolTip(
      tr("Below: how alike left and right are, 1 the same, 0 nothing in common; below 0 they "
         "cancel each other in mono. Above: the spectrum, 40 Hz to 16 kHz."));
}

void HeardPicture::hear(std::span<const float> stereo, double rate) {
  rate_ = rate;
  const double keep = std::exp(-1 / (correlation_s * rate));
  for (size_t i = 0; i + 1 < stereo.size(); i += 2) {
    const double l = static_cast<double>(stereo[i]), r = static_cast<double>(stereo[i + 1]);
    ll_ = keep * ll_ + l * l;
    rr_ = keep * rr_ + r * r;
    lr_ = keep * lr_ + l * r;
    ring_[at_] = stereo[i];
    ring_[at_ + 1] = stereo[i + 1];
    at_ = (at_ + 2) % ring_.size();
  }
  settle();
  update();
}

// The mean of both channels' power, by bands of equal width on a scale of octaves.
void HeardPicture::settle() {
  const double both = std::sqrt(ll_ * rr_);
  correlation_ = both > 1e-9 ? std::clamp(lr_ / both, -1.0, 1.0) : 1;
  std::vector<double> power(static_cast<size_t>(fft_.bins()));
  for (size_t c = 0; c < 2; ++c) {
    for (size_t i = 0; i < size_; ++i)
      time_[i] = window_[i] * ring_[(at_ + 2 * i + c) % ring_.size()];
    fft_.forward(time_, bins_);
    for (size_t k = 0; k < power.size(); ++k) power[k] += static_cast<double>(std::norm(bins_[k]));
  }
  // A full-scale sine reads 0 dB.
  const double scale = 0.5 * 16.0 / (static_cast<double>(size_) * size_);
  const double ratio = std::pow(last_band_hz / first_band_hz, 1.0 / bands_);
  double low = first_band_hz;
  for (auto& db : band_db_) {
    const double high = low * ratio, bin_hz = rate_ / size_;
    const auto from = static_cast<size_t>(low / bin_hz),
               to = std::max(from + 1, static_cast<size_t>(std::ceil(high / bin_hz)));
    double sum = 0;
    for (size_t k = from; k < std::min(to, power.size()); ++k) sum = std::max(sum, power[k]);
    const double now = std::max(spectrum_floor_db, 10 * std::log10(sum * scale + 1e-12));
    db = now > db ? now : std::max(now, db - 1.5);
    low = high;
  }
}

void HeardPicture::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Theme& t = theme();
  const double bar_top = height() - 14.0, each = width() / static_cast<double>(bands_);
  for (size_t b = 0; b < band_db_.size(); ++b) {
    const double share = (band_db_[b] - spectrum_floor_db) / (top_db - spectrum_floor_db);
    const double high = std::clamp(share, 0.0, 1.0) * (bar_top - 8);
    p.fillRect(QRectF(static_cast<double>(b) * each, bar_top - 6 - high, each - 1.5, high + 1),
               faded(t.after, 0.75));
  }
  // Correlation, from the middle.
  p.fillRect(QRectF(0, bar_top + 2, width(), 6), t.window);
  const double middle = width() / 2.0, x = middle * (1 + correlation_);
  p.fillRect(QRectF(std::min(middle, x), bar_top + 2, std::abs(x - middle), 6),
             correlation_ < alike_from ? t.over : t.after);
  p.fillRect(QRectF(middle - 0.5, bar_top, 1, 10), t.quiet);
}

// --- the panel ---

MixPanel::MixPanel(const Work& work, QWidget* parent) : QWidget(parent), work_(work) {
  setObjectName("panel");
  setAttribute(Qt::WA_StyledBackground);
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(10, 6, 10, 8);
  box->setSpacing(4);
  box->addWidget(make_levels());
  heard_ = new HeardPicture(this);
  box->addWidget(heard_, 1);
  box->addWidget(make_reference());
  connect(&work_.mix_watch, &MixWatch::changed, this, &MixPanel::refresh);
  connect(&work_.mix_watch, &MixWatch::progress, this, [this](double share) {
    progress_->setVisible(share < 1);
    progress_->setValue(static_cast<int>(1000 * share));
  });
  connect(&work_.document, &Document::reel_changed, this, &MixPanel::refresh);
  connect(&work_.document, &Document::target_changed, this, &MixPanel::refresh);
  refresh();
}

QWidget* MixPanel::make_levels() {
  auto* part = new QWidget(this);
  auto* box = new QVBoxLayout(part);
  box->setContentsMargins(0, 0, 0, 0);
  box->setSpacing(2);
  auto* top = new QHBoxLayout;
  chain_ = new QToolButton(part);
  chain_->setObjectName("mix_chain");
  chain_->setToolTip(tr("Open the mix chain and its level path on the Bench"));
  connect(chain_, &QToolButton::clicked, this, &MixPanel::bench_wanted);
  target_ = new QToolButton(part);
  target_->setObjectName("mix_target");
  target_->setPopupMode(QToolButton::InstantPopup);
  target_->setMenu(new QMenu(target_));
  fill_target_menu(*target_->menu(), work_, this);
  top->addWidget(chain_);
  top->addStretch(1);
  top->addWidget(target_);
  auto* figures = new QHBoxLayout;
  loudness_ = new QLabel(part);
  loudness_->setObjectName("mix_loudness");
  QFont f = heading_font();
  f.setPixelSize(20);
  loudness_->setFont(f);
  verdict_ = new QLabel(part);
  meet_ = new QToolButton(part);
  meet_->setObjectName("advice_action");
  meet_->setText(tr("Meet the target"));
  meet_->setToolTip(
      tr("Drives the mix into a limiter under the target's ceiling, from the measured "
         "peak; by gain alone where no peak stands in the way"));
  connect(meet_, &QToolButton::clicked, &work_.mix_watch, &MixWatch::meet_target);
  figures->addWidget(loudness_);
  figures->addSpacing(4);
  figures->addWidget(verdict_);
  figures->addStretch(1);
  figures->addWidget(meet_);
  details_ = new QLabel(part);
  details_->setObjectName("quiet");
  details_->setFont(small_font());
  progress_ = new QProgressBar(part);
  progress_->setRange(0, 1000);
  progress_->setTextVisible(false);
  progress_->setFixedHeight(4);
  progress_->hide();
  box->addLayout(top);
  box->addLayout(figures);
  box->addWidget(details_);
  box->addWidget(progress_);
  return part;
}

// What is only heard so ends with what shows it.
void MixPanel::hideEvent(QHideEvent* e) {
  mono_->setChecked(false);
  QWidget::hideEvent(e);
}

QWidget* MixPanel::make_reference() {
  auto* part = new QWidget(this);
  auto* row = new QHBoxLayout(part);
  row->setContentsMargins(0, 0, 0, 0);
  mono_ = new QCheckBox(tr("in mono"), part);
  mono_->setObjectName("hear_mono");
  mono_->setToolTip(tr("Hear left and right as one, as many devices play it; never rendered so"));
  connect(mono_, &QCheckBox::toggled, this,
          [this](bool on) { work_.listening.player().set_mono(on); });
  reference_ = new QToolButton(part);
  reference_->setObjectName("reference");
  reference_->setPopupMode(QToolButton::InstantPopup);
  auto* menu = new QMenu(reference_);
  menu->addAction(tr("Choose a reference ..."), this, &MixPanel::choose_reference);
  menu->addAction(tr("No reference"), this, [this] {
    work_.document.change([](const Reel& reel) { return edits::set_reference(reel, {}); });
  });
  reference_->setMenu(menu);
  against_ = new QToolButton(part);
  against_->setObjectName("hear_reference");
  against_->setText(tr("Hear it"));
  against_->setCheckable(true);
  against_->setToolTip(tr("The reference instead of the mix, at the same moment and as loud"));
  connect(against_, &QToolButton::toggled, &work_.mix_watch, &MixWatch::hear_reference);
  row->addWidget(mono_);
  row->addStretch(1);
  row->addWidget(reference_);
  row->addWidget(against_);
  return part;
}

void MixPanel::choose_reference() {
  const auto file =
      QFileDialog::getOpenFileName(this, tr("A finished mix to listen against"), last_folder());
  if (!file.isEmpty())
    work_.document.change(
        [&](const Reel& reel) { return edits::set_reference(reel, file.toStdString()); });
}

void MixPanel::refresh() {
  const Reel& reel = work_.document.reel();
  QStringList steps;
  for (const auto& s : reel.mix.chain.steps)
    if (s.on) steps << text(s.type->label);
  const QString chain = steps.isEmpty() ? tr("no steps") : steps.join(", ");
  chain_->setText(chain_->fontMetrics().elidedText(chain, Qt::ElideRight, 150));
  const auto& target = work_.document.target();
  target_->setText(target ? text(target->label) : tr("no target"));
  meet_->setEnabled(target.has_value());
  const WholeLevels* mix = work_.mix_watch.mix();
  const auto value = [](std::optional<double> v, const QString& unit) {
    return v ? QString("%1 %2").arg(*v, 0, 'f', 1).arg(unit) : tr("- %1").arg(unit);
  };
  loudness_->setText(value(mix ? mix->levels.loudness_lufs : std::nullopt, "LUFS"));
  const Theme& t = theme();
  const bool fresh = mix && work_.mix_watch.fresh();
  QString word;
  QColor color = t.quiet;
  if (fresh && target) {
    const auto missed = misses(*target, mix->levels);
    const Verdict v = verdict(missed);
    word = text(verdict_text(v));
    color = v == Verdict::right ? t.after : v == Verdict::low ? t.before : t.over;
    verdict_->setToolTip(missed.empty() ? tr("The mix meets the target.")
                                        : text(miss_text(missed.front())));
  } else if (mix && !fresh) {
    word = tr("has changed");
  }
  verdict_->setText(word);
  verdict_->setStyleSheet("color: " + color.name());
  details_->setText(mix ? tr("true peak %1, range %2")
                              .arg(value(mix->levels.true_peak_dbtp, "dBTP"),
                                   value(mix->levels.loudness_range_lu, "LU"))
                        : tr("measured when nothing plays"));
  const bool has = !reel.reference.empty();
  reference_->setText(has ? reference_->fontMetrics().elidedText(
                                text(reel.reference.filename().string()), Qt::ElideMiddle, 130)
                          : tr("Reference ..."));
  against_->setVisible(has);
  const QSignalBlocker quiet(against_);
  against_->setChecked(work_.mix_watch.hears_reference());
  mono_->setChecked(work_.listening.player().mono());
}

}  // namespace drevan::desktop

// SPDX-License-Identifier: GPL-3.0-or-later
#include "widgets/loudness_readout.h"

#include <QPainter>

#include "theme/theme.h"

namespace drevan::desktop {

LoudnessReadout::LoudnessReadout(QWidget* parent) : QWidget(parent) {
  setAccessibleName(tr("Loudness"));
  setToolTip(tr(
      "<p>Loudness of what was heard since playing began (EBU Mode): momentary over 0.4 s, "
      "short-term over 3 s, "
      "integrated over all of it, in LUFS; loudness range in LU; the highest true peak in dBTP.</p>"
      "<p>Click to begin anew.</p>"));
}

void LoudnessReadout::show_readings(const ProgrammeMeter::Readings& readings) {
  shown_ = readings;
  update();
}

void LoudnessReadout::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Theme& t = theme();
  p.setFont(small_font());
  const auto number = [](const std::optional<double>& v) {
    return v ? QString::number(*v, 'f', 1) : QString("-");
  };
  struct Part {
    double x;
    QString name, value;
  };
  const double half = height() / 2.0;
  const auto row = [&](double y, std::initializer_list<Part> parts) {
    for (const auto& part : parts) {
      p.setPen(t.quiet);
      const double name_width = p.fontMetrics().horizontalAdvance(part.name);
      p.drawText(QRectF(part.x, y, name_width + 2, half), Qt::AlignVCenter, part.name);
      p.setPen(t.text);
      p.drawText(QRectF(part.x + name_width + 4, y, 40, half), Qt::AlignVCenter, part.value);
    }
  };
  row(1, {{0, tr("M"), number(shown_.momentary_lufs)},
          {58, tr("S"), number(shown_.short_term_lufs)},
          {112, tr("I"), number(shown_.integrated_lufs)},
          {156, tr("LUFS"), {}}});
  row(half - 1, {{0, tr("range"), number(shown_.range_lu)},
                 {76, tr("true peak"), number(shown_.true_peak_dbtp)},
                 {176, tr("dBTP"), {}}});
}

}  // namespace drevan::desktop

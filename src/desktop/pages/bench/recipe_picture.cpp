// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/recipe_picture.h"

#include <QPainter>

#include "audio/error.h"
#include "engine/listening/reference_voice.h"
#include "media/peaks.h"
#include "theme/theme.h"
#include "widgets/level_bar.h"
#include "widgets/words.h"
#include "work/measurements.h"

namespace drevan::desktop {

RecipePicture::RecipePicture(const Work& work, QWidget* parent) : QWidget(parent), work_(work) {
  setMinimumHeight(96);
  setAccessibleName(tr("What the recipe does to a reference voice"));
  setToolTip(tr("A reference voice in a room: noise floor, loudness and peak after each step"));
}

void RecipePicture::show_recipe(const Recipe* recipe) {
  stages_.clear();
  chain_ = recipe ? recipe->chain : Chain{};
  std::erase_if(chain_.steps, [](const ChainStep& step) { return !step.on; });
  update();
  if (!recipe) return lane_.cancel();
  lane_.start([this, chain = chain_](const CancelToken& cancel) -> TaskLane::Finish {
    try {
      const auto sound = reference_voice(peak_cache_folder().parent_path());
      LevelPathOptions options;
      options.store = &work_.measurements.findings();
      options.levels = &levels_;
      options.cancel = &cancel;
      const auto stages = measure_level_path(plan_of(sound, chain), options).stages;
      return [this, stages] {
        stages_ = stages;
        update();
      };
    } catch (const Error&) {
      return {};  // no cache folder: no picture
    }
  });
}

void RecipePicture::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Theme& t = theme();
  draw_panel(p, QRectF(rect()));
  if (stages_.empty()) return;
  const QRectF plot = QRectF(rect()).adjusted(34, 10, -10, -26);
  const auto y = [&](double db) {
    return plot.top() + (3 - std::clamp(db, -75.0, 3.0)) / 78 * plot.height();
  };
  p.setFont(small_font());
  for (int db = 0; db >= -60; db -= 20) {
    p.setPen(QPen(faded(t.line, 0.6), 1));
    p.drawLine(QPointF(plot.left(), y(db)), QPointF(plot.right(), y(db)));
    p.setPen(t.quiet);
    p.drawText(QRectF(0, y(db) - 8, 28, 16), Qt::AlignRight | Qt::AlignVCenter,
               QString::number(db));
  }
  const double each = std::min(96.0, plot.width() / static_cast<double>(stages_.size()));
  for (size_t i = 0; i < stages_.size(); ++i) {
    const double x = plot.left() + each * (static_cast<double>(i) + 0.5);
    draw_level_bar(p, stages_[i], x, y, i == 0);
    p.setPen(i == 0 ? t.quiet : t.text);
    const QString label = i == 0 ? tr("voice") : text(chain_.steps[i - 1].type->label);
    p.drawText(QRectF(x - each / 2, plot.bottom() + 5, each, 16), Qt::AlignCenter,
               p.fontMetrics().elidedText(label, Qt::ElideRight, static_cast<int>(each - 3)));
  }
}

}  // namespace drevan::desktop

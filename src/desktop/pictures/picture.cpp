#include "pictures/picture.h"

#include <QPainter>

#include "pictures/pictures.h"
#include "theme/theme.h"
#include "work/curve_clock.h"
#include "work/selection.h"

namespace drevan::desktop {

StepPicture* StepPicture::make(const Work& work, StepId id, QWidget* parent) {
  switch (work.selection.step(id)->type->picture) {
    case Picture::response:
      return new ResponsePicture(work, id, parent);
    case Picture::transfer:
      return new TransferPicture(work, id, parent);
    case Picture::reduction:
      return new ReductionPicture(work, id, parent);
    case Picture::course:
      return new CoursePicture(work, id, parent);
    case Picture::bands:
      return new BandsPicture(work, id, parent);
    case Picture::clock:
      return new ClockPicture(work, id, parent);
    case Picture::field:
      return new FieldPicture(work, id, parent);
    case Picture::levels:
      break;
  }
  return new LevelsPicture(work, id, parent);
}

StepPicture::StepPicture(const Work& work, StepId id, QWidget* parent)
    : QWidget(parent), work_(work), step_id_(id) {
  setMouseTracking(true);
  setObjectName("picture");
}

const ChainStep* StepPicture::step() const { return work_.selection.step(step_id_); }

Settings StepPicture::settings() const { return settings_at(work_, *step(), playhead_s_); }

void StepPicture::show_playhead(double clip_s) {
  playhead_s_ = clip_s;
  if (step() && !step()->curves.empty()) update();
}

void StepPicture::live(std::span<const float>, std::span<const float>, std::span<const float>) {}

void StepPicture::set_page(int page) {
  if (page == page_) return;
  page_ = page;
  update();
  Q_EMIT page_chosen(page);
}

QRectF StepPicture::plot_rect() const { return QRectF(rect()).adjusted(30, 8, -4, -18); }

void StepPicture::draw_ground(QPainter& p) const {
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(Qt::NoPen);
  p.setBrush(theme().window);
  p.drawRoundedRect(plot_rect(), 4, 4);
  p.setFont(small_font());
}

}  // namespace drevan::desktop

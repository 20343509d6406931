#include "bench/picture.h"

#include <QPainter>

#include "bench/pictures.h"
#include "theme/theme.h"

namespace drevan::desktop {

StepPicture* StepPicture::make(Workspace& workspace, StepPlace place, QWidget* parent) {
  switch (workspace.step(place)->type->picture) {
    case Picture::response: return new ResponsePicture(workspace, place, parent);
    case Picture::transfer: return new TransferPicture(workspace, place, parent);
    case Picture::reduction: return new ReductionPicture(workspace, place, parent);
    case Picture::course: return new CoursePicture(workspace, place, parent);
    case Picture::bands: return new BandsPicture(workspace, place, parent);
    case Picture::levels: break;
  }
  return new LevelsPicture(workspace, place, parent);
}

StepPicture::StepPicture(Workspace& workspace, StepPlace place, QWidget* parent)
    : QWidget(parent), workspace_(workspace), place_(place) {
  setMouseTracking(true);
  setObjectName("picture");
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

#include "pages/scene/film_view.h"

#include <QMouseEvent>
#include <QPainter>

#include "theme/theme.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/scene_films.h"

namespace drevan::desktop {

FilmView::FilmView(const Work& work, QWidget* parent) : QWidget(parent), work_(work) {
  setObjectName("film");
  setAccessibleName(tr("The picture at the playhead"));
  setMinimumSize(200, 120);
  connect(&work_.films, &SceneFilms::films_changed, this, [this] {
    close();
    look_at(reel_s_);
  });
}

void FilmView::close() {
  ahead_.reset();
  file_.clear();
  picture_.reset();
  image_ = {};
  shown_s_ = -1;
  update();
}

// Pictures are decoded as large as they are shown.
void FilmView::open() {
  const Film* film = work_.films.at(reel_s_);
  const FilmInfo* info = film ? work_.films.info(*film) : nullptr;
  if (!info) {
    if (ahead_ || !image_.isNull()) close();
    return;
  }
  place_s_ = film->place_s;
  const double scale = devicePixelRatioF();
  const QSize most(static_cast<int>(width() * scale), static_cast<int>(height() * scale));
  const QSize whole(std::max(1, info->width), std::max(1, info->height));
  QSize size = whole.scaled(most, Qt::KeepAspectRatio).boundedTo(whole);
  // In steps, so that a window that is dragged does not open the film at every pixel.
  size = QSize(std::max(16, size.width() / 16 * 16), std::max(16, size.height() / 2 * 2));
  if (ahead_ && file_ == film->path && decoded_ == size) return;
  file_ = film->path;
  decoded_ = size;
  ahead_ = std::make_unique<FilmAhead>(film->path, size.width(), size.height());
}

void FilmView::look_at(double reel_s) {
  reel_s_ = reel_s;
  open();
  if (!ahead_) {
    update();
    return;
  }
  ahead_->look_at(reel_s - place_s_);
  if (const auto why = ahead_->take_error(); !why.empty())
    work_.notices.warn(QString::fromStdString(why));
  const auto now = ahead_->picture();
  if (!now || now == picture_) return;
  picture_ = now;
  shown_s_ = place_s_ + now->at_s;
  const QImage wrapped(now->pixels.data(), now->width, now->height, 3 * now->width,
                       QImage::Format_RGB888);
  const int turned = ahead_->rotation_deg();
  // The pixels live as long as picture_ does.
  image_ = turned == 0 ? wrapped : wrapped.transformed(QTransform().rotate(turned));
  update();
}

bool FilmView::exact() const { return !ahead_ || (ahead_->exact() && ahead_->picture() == picture_); }

QRectF FilmView::picture_rect() const {
  if (image_.isNull()) return {};
  const QSizeF size = QSizeF(image_.size()).scaled(QSizeF(this->size()), Qt::KeepAspectRatio);
  return {QPointF((width() - size.width()) / 2, (height() - size.height()) / 2), size};
}

void FilmView::resizeEvent(QResizeEvent*) { look_at(reel_s_); }

void FilmView::mouseDoubleClickEvent(QMouseEvent*) {
  if (work_.document.reel().films.empty()) Q_EMIT film_wanted();
}

void FilmView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Theme& t = theme();
  p.setRenderHint(QPainter::Antialiasing);
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  p.setPen(Qt::NoPen);
  p.setBrush(t.panel);
  p.drawRoundedRect(rect(), 6, 6);
  const QRectF at = picture_rect();
  if (!at.isEmpty()) {
    p.drawImage(at, image_);
    const QString moment = work_.films.moment_text(reel_s_);
    p.setFont(bold_font());
    const QRectF box(at.left() + 8, at.bottom() - 28, p.fontMetrics().horizontalAdvance(moment) + 14, 21);
    p.setBrush(faded(t.window, 0.72));
    p.drawRoundedRect(box, 4, 4);
    p.setPen(t.text);
    p.drawText(box, Qt::AlignCenter, moment);
    return;
  }
  p.setPen(t.quiet);
  const auto& films = work_.document.reel().films;
  QString told = tr("No film yet. Drop one here, or double-click to choose one.\n"
                    "Without a film the Scene works too.");
  if (!films.empty()) told = tr("There is no picture at this moment.");
  for (const Film& film : films)
    if (const QString why = work_.films.fault(film); !why.isEmpty()) told = why;
  p.drawText(QRectF(rect()).adjusted(16, 8, -16, -8), Qt::AlignCenter | Qt::TextWordWrap, told);
}

}  // namespace drevan::desktop

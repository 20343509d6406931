// The picture at the playhead.
#pragma once

#include <QImage>
#include <QWidget>
#include <memory>

#include "media/film_ahead.h"
#include "work/work.h"

namespace drevan::desktop {

class FilmView : public QWidget {
  Q_OBJECT

 public:
  explicit FilmView(const Work& work, QWidget* parent = nullptr);

  /// Call often while playing: shows the picture that is seen then.
  void look_at(double reel_s);
  /// Whether the picture shown is the one that is seen, or there is none to be seen.
  bool exact() const;
  /// Where the picture that is shown begins, in the reel; below 0: none is shown.
  double shown_s() const { return shown_s_; }
  /// Where the picture stands in the widget; empty: there is none.
  QRectF picture_rect() const;

 Q_SIGNALS:
  void film_wanted();

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;

 private:
  void open();
  void close();

  const Work& work_;
  std::unique_ptr<FilmAhead> ahead_;
  std::filesystem::path file_;  // that ahead_ is of
  double place_s_ = 0;
  QSize decoded_;
  double reel_s_ = 0, shown_s_ = -1;
  std::shared_ptr<const FilmPicture> picture_;
  QImage image_;
};

}  // namespace drevan::desktop

// SPDX-License-Identifier: GPL-3.0-or-later
// The picture at the playhead.
#pragma once

#include <QImage>
#include <QWidget>
#include <map>
#include <memory>
#include <optional>

#include "media/film_ahead.h"
#include "reel/reel.h"
#include "work/open_reel.h"
#include "work/work.h"

namespace drevan {
struct FilmTrack;
}

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
  /// Where the selected clip's dot stands on it; empty: it does not sound now, or is none.
  std::optional<QPointF> dot() const;
  /// The dot follows what is seen under it, from here to the clip's end or where it is lost; once
  /// more: stops.
  void follow();
  bool following() const { return lane_.busy(); }

 Q_SIGNALS:
  void film_wanted();

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;

 private:
  const Clip* held_clip() const;
  double moment() const;
  /// Where the clip stands on the picture, -1 to 1.
  double share_at(const Clip& clip, double s) const;
  void hold();
  void draw_dot(QPainter& p) const;
  void take_track(ClipId clip, double place_s, const FilmTrack& track);
  void open();
  void close();

  const Work& work_;
  std::unique_ptr<FilmAhead> ahead_;
  std::filesystem::path file_;  // that ahead_ is of
  double place_s_ = 0;
  QSize decoded_, shape_;  // shape_: as the film is seen, before it is turned
  double reel_s_ = 0, shown_s_ = -1;
  std::shared_ptr<const FilmPicture> picture_;
  Grab grab_;  // the clip whose dot is held
  bool holding_ = false;
  double share_ = 0,
         last_s_ = 0;  // of the picture, where the hand is; the moment it was last held at
  std::map<ClipId, double> dot_heights_{};  // by clip, a share of the picture's height
  int followed_pct_ = 0;
  ReelLane lane_;
  QImage image_;
  int turned_ = 0;  // by so many degrees to the right
};

}  // namespace drevan::desktop

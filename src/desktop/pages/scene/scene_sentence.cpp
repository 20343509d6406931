// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/scene/scene_sentence.h"

#include <QHelpEvent>
#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <QWheelEvent>
#include <cmath>

#include "pages/scene/scene_rows.h"
#include "reel/edits/anchors.h"
#include "reel/scene/scene_curves.h"
#include "reel/scene/scene_edits.h"
#include "reel/scene/sends.h"
#include "theme/theme.h"
#include "widgets/close_field.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr double turn_px = 3;
}

SceneSentence::SceneSentence(const Work& work, SceneRows& rows, QWidget* parent)
    : QWidget(parent), work_(work), rows_(rows) {
  setObjectName("sentence");
  setFixedHeight(32);
  setMouseTracking(true);
  connect(&work_.document, &Document::reel_changed, this, &SceneSentence::refresh);
  connect(&work_.selection, &Selection::clip_changed, this, &SceneSentence::refresh);
  connect(&work_.scene, &SceneSounds::sounds_changed, this, &SceneSentence::refresh);
  connect(&work_.films, &SceneFilms::films_changed, this, &SceneSentence::refresh);
  connect(&rows_, &SceneRows::chosen_changed, this, &SceneSentence::refresh);
  refresh();
}

QString SceneSentence::sentence() const {
  QStringList out;
  for (const Word& w : words_) out << w.text;
  return out.join(' ');
}

SceneSentence::Word SceneSentence::place_word(const QString& text, double at_s,
                                              std::function<void(double)> to) {
  Word w{.text = text, .tip = tr("Drag, turn the wheel, or double-click and type seconds")};
  w.turn = [this, at_s, to](double steps) { to(at_s + steps * work_.films.picture_s()); };
  w.type = [this, to](const QString& typed) {
    const auto s = work_.films.moment_of(typed);
    if (!s)
      return work_.notices.warn(
          tr("%1 is no moment; type seconds, 1:10.4 or a timecode.").arg(typed));
    to(*s);
  };
  return w;
}

SceneSentence::Word SceneSentence::level_word(const QString& text, double db,
                                              std::function<void(double)> to) {
  Word w{.text = tr("%1 %2").arg(text).arg(db, 0, 'f', 1)};
  w.turn = [to, db](double steps) { to(std::round(2 * (db + steps / 2)) / 2); };
  w.type = [this, to](const QString& typed) {
    bool ok = false;
    const double level = typed.split(' ').last().toDouble(&ok);
    if (!ok) return work_.notices.warn(tr("%1 is no level; type dB, such as -12.").arg(typed));
    to(level);
  };
  return w;
}

SceneSentence::Word SceneSentence::send_word(ClipId clip, SpaceId space, double db) {
  const Space* of = find_space(work_.document.reel(), space);
  Word w = level_word(QString::fromStdString(of->clip.name), db, [this, clip, space](double level) {
    work_.document.change(
        [&](const Reel& reel) { return edits::set_send(reel, clip, space, level); });
  });
  w.tip =
      tr("How much of it enters the space (dB). Drag, turn the wheel, or double-click "
         "and type; at -60 nothing does");
  return w;
}

// Where it stands in a space.
SceneSentence::Word SceneSentence::place_in_word(ClipId clip, const Send& send) {
  const SendPlace place = *send.place;
  const auto to = [this, clip, space = send.space, place](double azimuth_deg) {
    SendPlace next = place;
    next.azimuth_deg = azimuth_deg;
    work_.document.change(
        [&](const Reel& reel) { return edits::place_in_space(reel, clip, space, next); });
  };
  if (place.azimuth || place.distance)
    return {.text = tr("moving"), .tip = tr("Where it goes is on the plan, right of the picture")};
  Word w{
      .text =
          tr("at %1 deg, %2 m").arg(place.azimuth_deg, 0, 'f', 0).arg(place.distance_m, 0, 'f', 1),
      .tip = tr("Where it stands: drag, turn the wheel, or double-click and type degrees; on the "
                "plan, right of the picture, it is held")};
  w.turn = [to, place](double steps) { to(place.azimuth_deg + 2 * steps); };
  w.type = [this, to](const QString& typed) {
    bool ok = false;
    const double deg =
        typed.split(' ', Qt::SkipEmptyParts).value(typed.startsWith("at ") ? 1 : 0).toDouble(&ok);
    if (!ok) return work_.notices.warn(tr("%1 is no direction; type degrees.").arg(typed));
    to(deg);
  };
  return w;
}

void SceneSentence::tell_event(const Event& e) {
  words_.push_back({.text = QString::fromStdString(e.name),
                    .tip = tr("Double-click and type another name"),
                    .strong = true,
                    .type = [this, id = e.id](const QString& typed) {
                      work_.document.change([&](const Reel& reel) {
                        return edits::rename_event(reel, id, typed.toStdString());
                      });
                    }});
  words_.push_back({.text = tr("is marked at")});
  words_.push_back(place_word(work_.films.moment_text(e.at.s), e.at.s, [this, id = e.id](double s) {
    work_.document.change(
        [&](const Reel& reel) { return edits::move_event(reel, id, ReelTime{s}); });
  }));
}

void SceneSentence::tell_clip(const Clip& clip) {
  const Reel& reel = work_.document.reel();
  const ClipId id = clip.id;
  const size_t others = rows_.marked().size();
  words_.push_back(
      {.text = others > 1
                   ? tr("%1 and %2 more").arg(QString::fromStdString(clip.name)).arg(others - 1)
                   : QString::fromStdString(clip.name),
       .strong = true});
  words_.push_back({.text = tr("starts at")});
  words_.push_back(
      place_word(work_.films.moment_text(clip.place.s), clip.place.s, [this, id](double s) {
        const edits::PlacedClip one[] = {{id, {s}}};
        work_.document.change([&](const Reel& r) { return edits::place_clips(r, one); });
      }));
  const SceneSound* sound = work_.scene.sound(id);
  const double seconds = sound ? sound->course->seconds() : whole_heard(times_of(reel, clip)).end.s;
  words_.push_back({.text = tr("and lasts")});
  tell_length(clip, seconds);
  const auto sends = sends_of(reel, clip);
  const bool direct = heard_direct(reel, clip);
  if (!reel.spaces.empty())
    words_.push_back(
        {.text = direct ? tr("heard directly") : tr("not heard directly"),
         .tip = tr("Click: whether it is heard in the mix itself, not only through spaces"),
         .click = [this, id] {
           const Clip* now = work_.document.reel().find(id);
           const bool on = !now->direct;
           work_.document.change([&](const Reel& r) { return edits::set_direct(r, id, on); });
         }});
  if (!sends.empty()) words_.push_back({.text = direct ? tr("and goes into") : tr("but through")});
  for (size_t i = 0; i < sends.size(); ++i) {
    if (i > 0) words_.push_back({.text = i + 1 == sends.size() ? tr("and") : QString(",")});
    words_.push_back(send_word(id, sends[i].space, sends[i].level_db));
    if (sends[i].place) words_.push_back(place_in_word(id, sends[i]));
  }
  if (sends.size() == reel.spaces.size()) return;
  words_.push_back({.text = sends.empty() ? tr("and goes into no space") : tr("and more ..."),
                    .tip = tr("Click: let it feed a space"),
                    .click = [this, id] {
                      QMenu menu(this);
                      const Reel& r = work_.document.reel();
                      const auto fed = sends_of(r, *r.find(id));
                      for (const Space& s : r.spaces)
                        if (std::ranges::find(fed, s.id(), &Send::space) == fed.end())
                          menu.addAction(QString::fromStdString(s.clip.name), this,
                                         [this, id, to = s.id()] {
                                           work_.document.change([&](const Reel& now) {
                                             return edits::set_send(now, id, to, -12);
                                           });
                                         });
                      menu.exec(QCursor::pos());
                    }});
}

// Who feeds it, as in "hears Ines dialogue -14.0 and 2 clips of their own".
void SceneSentence::tell_space(const Space& space) {
  const Reel& reel = work_.document.reel();
  const SpaceId id = space.id();
  words_.push_back({.text = QString::fromStdString(space.clip.name), .strong = true});
  std::vector<Word> fed;
  const auto feeds = [id](const std::vector<Send>& sends) {
    return std::ranges::find(sends, id, &Send::space);
  };
  for (const Group& group : reel.groups) {
    const auto send = feeds(group.sends);
    if (send == group.sends.end()) continue;
    fed.push_back(level_word(
        QString::fromStdString(group.name), send->level_db, [this, id, g = group.id](double db) {
          work_.document.change([&](const Reel& r) { return edits::set_send(r, g, id, db); });
        }));
    fed.back().tip =
        tr("How much of the group enters the space (dB). Drag, turn the wheel, or "
           "double-click and type; at -60 nothing does");
  }
  const auto own = std::ranges::count_if(
      reel.clips, [&](const Clip& c) { return feeds(c.sends) != c.sends.end(); });
  if (own > 0) fed.push_back({.text = tr("%1 of its own").arg(counted(own, tr("clip")))});
  words_.push_back({.text = fed.empty() ? tr("hears nothing yet") : tr("hears")});
  for (size_t i = 0; i < fed.size(); ++i) {
    if (i > 0) words_.push_back({.text = i + 1 == fed.size() ? tr("and") : QString(",")});
    words_.push_back(std::move(fed[i]));
  }
  words_.push_back({.text = tr("and is in the")});
  words_.push_back(level_word(tr("mix at"), space.level_db, [this, id](double db) {
    work_.document.change([&](const Reel& r) { return edits::set_space_level(r, id, db); });
  }));
  words_.back().tip =
      tr("How loud it is in the mix (dB). Drag, turn the wheel, or double-click "
         "and type");
}

// Turned or typed, the clip is stretched; how it is, is a word of its own.
void SceneSentence::tell_length(const Clip& clip, double seconds) {
  const ClipId id = clip.id;
  const auto way = edits::stretch_way(clip);
  const auto stretch = [this, id](double to, edits::StretchWay how) {
    work_.document.change(
        [&](const Reel& r) { return edits::stretch_to(r, id, HeardSpan{to}, how); });
  };
  Word length{
      .text = tr("%1 s,").arg(seconds, 0, 'f', 2),
      .tip = tr("Stretch it: drag, turn the wheel, or double-click and type seconds; Ctrl and "
                "drag its end in the row does the same")};
  const auto how = way.value_or(edits::StretchWay::pitch);
  length.turn = [this, stretch, seconds, how](double steps) {
    stretch(seconds + steps * work_.films.picture_s(), how);
  };
  length.type = [this, stretch, how](const QString& typed) {
    QString number = typed;
    const auto s = work_.films.moment_of(number.remove(' ').remove("s,").remove('s'));
    if (!s) return work_.notices.warn(tr("%1 is no length; type seconds.").arg(typed));
    stretch(*s, how);
  };
  words_.push_back(std::move(length));
  if (!way) return;
  const auto anchors = anchors_of(work_.document.reel(), clip);
  const bool pitch = *way == edits::StretchWay::pitch;
  words_.push_back(
      {.text = pitch ? tr("keeps its pitch,") : tr("changes like tape,"),
       .tip = tr("Click: keep the pitch, or let it fall and rise with the length like tape"),
       .click = [stretch, seconds, pitch] {
         stretch(seconds, pitch ? edits::StretchWay::tape : edits::StretchWay::pitch);
       }});
  if (!anchors.empty())
    words_.push_back({.text = tr("bound at %1,").arg(counted(std::ssize(anchors), tr("moment")))});
}

Grab SceneSentence::grabbed() const {
  if (rows_.event()) return Grab::of_event(work_.document, *rows_.event());
  const Clip* clip = work_.selection.clip();
  return clip ? Grab::of_clip(work_.document, clip->id) : Grab::of_reel(work_.document);
}

void SceneSentence::let_go() {
  pressed_ = -1;
  turned_ = false;
  grab_.let_go();
  close_field(typed_);
}

void SceneSentence::hideEvent(QHideEvent* e) {
  let_go();
  QWidget::hideEvent(e);
}

void SceneSentence::refresh() {
  if ((pressed_ >= 0 || typed_) && !grab_.alive(work_.document)) let_go();
  words_.clear();
  const Reel& reel = work_.document.reel();
  const Clip* clip = work_.selection.clip();
  if (const Event* event = rows_.event() ? find_event(reel, *rows_.event()) : nullptr)
    tell_event(*event);
  else if (clip && !is_bus(*clip))
    tell_clip(*clip);
  else if (const Space* space = clip ? find_space(reel, space_of(clip->id)) : nullptr)
    tell_space(*space);
  else if (clip)
    words_.push_back({.text = tr("The mix"), .strong = true});
  else
    words_.push_back(
        {.text = tr(
             "Choose a clip or an event below: it is told here, and what is told can be turned.")});
  setAccessibleName(sentence());
  update();
}

QRectF SceneSentence::rect_of(size_t word) const {
  double x = 16;
  for (size_t i = 0; i <= word; ++i) {
    const QFontMetricsF m(words_[i].strong ? bold_font() : font());
    const double wide = m.horizontalAdvance(words_[i].text);
    if (i == word) return {x, 4, wide, height() - 8.0};
    x += wide + 9;
  }
  return {};
}

QRectF SceneSentence::word_rect(const QString& word) const {
  for (size_t i = 0; i < words_.size(); ++i)
    if (words_[i].text.startsWith(word)) return rect_of(i);
  return {};
}

int SceneSentence::word_at(QPointF at) const {
  for (size_t i = 0; i < words_.size(); ++i)
    if (words_[i].can() && rect_of(i).adjusted(-3, 0, 3, 0).contains(at))
      return static_cast<int>(i);
  return -1;
}

void SceneSentence::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Theme& t = theme();
  for (size_t i = 0; i < words_.size(); ++i) {
    const Word& w = words_[i];
    const QRectF r = rect_of(i);
    if (r.left() > width()) break;
    const bool lit = static_cast<int>(i) == (pressed_ >= 0 ? pressed_ : under_);
    p.setFont(w.strong ? bold_font() : font());
    p.setPen(w.strong ? t.attention : w.can() ? t.text : t.quiet);
    p.drawText(r, Qt::AlignVCenter, w.text);
    if (!w.can()) continue;
    p.setPen(QPen(lit ? t.attention : faded(t.quiet, 0.6), 1, lit ? Qt::SolidLine : Qt::DotLine));
    p.drawLine(QPointF(r.left(), r.bottom() - 1), QPointF(r.right(), r.bottom() - 1));
  }
}

void SceneSentence::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  pressed_ = word_at(e->position());
  pressed_at_ = e->position();
  turned_ = false;
  if (pressed_ >= 0) {
    held_ = words_[static_cast<size_t>(pressed_)];
    grab_ = grabbed();
  }
  update();
}

void SceneSentence::mouseMoveEvent(QMouseEvent* e) {
  if (pressed_ < 0) {
    const int now = word_at(e->position());
    if (now != std::exchange(under_, now)) update();
    const bool turns = now >= 0 && words_[static_cast<size_t>(now)].turn;
    setCursor(turns ? Qt::SizeHorCursor : now >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
    return;
  }
  const double by = e->position().x() - pressed_at_.x();
  if (!held_.turn || (!turned_ && std::abs(by) < turn_px)) return;
  if (!turned_) work_.document.end_merge();
  turned_ = true;
  held_.turn(std::round(by / 2));
}

void SceneSentence::mouseReleaseEvent(QMouseEvent*) {
  const int word = std::exchange(pressed_, -1);
  if (turned_)
    work_.document.end_merge();
  else if (word >= 0 && held_.click)
    held_.click();
  turned_ = false;
  update();
}

void SceneSentence::mouseDoubleClickEvent(QMouseEvent* e) {
  const int word = word_at(e->position());
  pressed_ = -1;
  if (word < 0 || !words_[static_cast<size_t>(word)].type) return;
  let_go();
  grab_ = grabbed();
  typed_ = new QLineEdit(words_[static_cast<size_t>(word)].text, this);
  typed_->setObjectName("typed_word");
  typed_->setGeometry(rect_of(static_cast<size_t>(word)).adjusted(-6, 0, 40, 0).toRect());
  typed_->selectAll();
  typed_->show();
  typed_->setFocus();
  connect(typed_, &QLineEdit::editingFinished, this,
          [this, type = words_[static_cast<size_t>(word)].type, was = typed_->text()] {
            if (!typed_) return;
            const QString now = typed_->text();
            const bool alive = grab_.alive(work_.document);
            let_go();
            if (alive && now != was) type(now);
          });
}

void SceneSentence::wheelEvent(QWheelEvent* e) {
  const int word = word_at(e->position());
  if (word < 0 || !words_[static_cast<size_t>(word)].turn) return e->ignore();
  const auto turn = words_[static_cast<size_t>(word)].turn;
  turn(e->angleDelta().y() > 0 ? 1 : -1);
  e->accept();
}

bool SceneSentence::event(QEvent* e) {
  if (e->type() == QEvent::Leave) {
    under_ = -1;
    update();
  }
  if (e->type() == QEvent::ToolTip) {
    auto* help = static_cast<QHelpEvent*>(e);
    const int word = word_at(help->pos());
    QToolTip::showText(help->globalPos(),
                       word < 0 ? QString() : words_[static_cast<size_t>(word)].tip, this);
    return true;
  }
  return QWidget::event(e);
}

}  // namespace drevan::desktop

// SPDX-License-Identifier: GPL-3.0-or-later
// One story of a scene, by mouse and keys, from the film to the film; then looked at from outside.
#include <gtest/gtest.h>

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QDragEnterEvent>
#include <QDropEvent>
#include <QFile>
#include <QLineEdit>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QToolButton>
#include <cmath>
#include <cstdlib>
#include <numeric>

#include "../../demo/story.h"
#include "desktop/driver.h"
#include "dialogs/film_sheet.h"
#include "engine/rendering/render.h"
#include "pages/record/record_strip.h"
#include "pages/scene/scene_page.h"
#include "reel/scene/scene_curves.h"
#include "reel/edits/takes.h"
#include "work/mix_watch.h"
#include "work/recording_desk.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"

namespace drevan::desktop {
namespace {

class SceneStory : public testing::Test {
 protected:
  ~SceneStory() override {
    d.work().listening.player().pause();
    d.window.record_strip().open(false);
    ::unsetenv("DREVAN_MICROPHONE");
  }
  void open() {
    Reel demo = load_reel(DREVAN_SOURCE_DIR "/demo/skerry-light-scene.reel");
    film_file = demo.films.at(0).path;
    demo.films.clear();
    const auto file = folder / "story.reel";
    save_reel(demo, file);
    ASSERT_TRUE(d.work().document.open(file));
    QTest::keyClick(&d.window, Qt::Key_2, Qt::ControlModifier);
    // What earlier tests left to the next session.
    d.window.scene().show_beside(ScenePage::Beside::spaces);
    d.window.scene().show_steps(false);
    ready();
  }
  void ready() {
    ASSERT_TRUE(d.wait_for(
        [&] { return !d.work().scene.busy() && d.work().scene.share_ready() >= 1; }, 60000));
    QTest::qWait(60);
  }
  void drop_the_film() {
    QMimeData what;
    what.setUrls({QUrl::fromLocalFile(QString::fromStdString(film_file.string()))});
    QDragEnterEvent enter({400, 300}, Qt::CopyAction, &what, Qt::LeftButton, {});
    QApplication::sendEvent(&d.window, &enter);
    QDropEvent drop({400, 300}, Qt::CopyAction, &what, Qt::LeftButton, {});
    QApplication::sendEvent(&d.window, &drop);
    ASSERT_TRUE(d.wait_for([&] { return d.work().films.end_s() > 70; }));
    QTest::qWait(60);
  }
  ScenePage& page() { return d.window.scene(); }
  SceneRows& rows() { return page().rows(); }
  const Reel& reel() { return d.work().document.reel(); }
  const Clip& clip(const std::string& name) { return *reel().find(d.clip_named(name)); }
  QPointF middle(const char* name) {
    const QRectF r = rows().clip_rect(d.clip_named(name));
    return {r.center().x(), r.bottom() - 6};
  }
  void go_to(double s) { d.click(rows().viewport(), {rows().x_of(s), 20}); }
  void play() {
    QTest::keyClick(&d.window, Qt::Key_Space);
    ASSERT_TRUE(d.wait_for([&] { return d.work().listening.player().playing(); }, 3000));
  }
  void pause() {
    QTest::keyClick(&d.window, Qt::Key_Space);
    ASSERT_TRUE(d.wait_for([&] { return !d.work().listening.player().playing(); }, 3000));
  }
  void choose(QMenu* menu, const QString& entry) {
    ASSERT_TRUE(menu);
    Q_EMIT menu->aboutToShow();
    for (QAction* a : menu->actions())
      if (a->text() == entry) return a->trigger();
    FAIL() << entry.toStdString();
  }

  void stretch_the_whoosh();
  void follow_the_actor();
  void swell_the_wind();
  void feed_the_space();
  void record_the_line();
  void meet_the_target();
  void write_the_film(const QString& goal);
  void expect_places(const AudioBuffer& film);
  void expect_crossing(const AudioBuffer& film);

  test::TempFolder folder;
  std::filesystem::path film_file;
  Driver d;
};

void SceneStory::stretch_the_whoosh() {
  go_to(3);
  QTest::keyClick(&rows(), Qt::Key_E);
  auto* name = rows().findChild<QLineEdit*>("event_name");
  ASSERT_TRUE(name);
  QTest::keyClicks(name, "turns to us");
  QTest::keyClick(name, Qt::Key_Return);
  const double event_s = reel().events[0].at.s;
  ASSERT_NEAR(event_s, 3, 0.2);
  const QPointF at = middle("beam-sweep");
  d.drag(rows().viewport(), at,
         at + QPointF(rows().x_of(event_s) - rows().x_of(clip("beam-sweep").place.s) + 2, 0));
  ASSERT_DOUBLE_EQ(clip("beam-sweep").place.s, event_s);
  const QRectF r = rows().clip_rect(d.clip_named("beam-sweep"));
  d.drag(rows().viewport(), {r.right() - 1, r.center().y()}, {rows().x_of(12), r.center().y()},
         Qt::ControlModifier);
  ASSERT_TRUE(edits::stretch_way(clip("beam-sweep")));
  ASSERT_TRUE(d.wait_for([&] {
    const SceneSound* s = d.work().scene.sound(d.clip_named("beam-sweep"));
    return s && std::abs(s->course->seconds() - (12 - event_s)) < 0.05;
  }));
}

// The hand goes with the actor who crosses the picture.
void SceneStory::follow_the_actor() {
  d.click(rows().viewport(), middle("stairs-02"));
  go_to(12.5);
  FilmView& film = page().film();
  ASSERT_TRUE(d.wait_for([&] { return film.exact() && film.dot(); }));
  const auto on_picture = [&](double s) {
    const QRectF r = film.picture_rect();
    const demo::Point p = demo::actor_at(s);
    return QPointF(r.left() + p.x / demo::film_width * r.width(),
                   r.top() + p.y / demo::film_height * r.height());
  };
  QTest::mousePress(&film, Qt::LeftButton, {}, film.dot()->toPoint());
  const auto hold = [&] {
    const QPointF at = on_picture(rows().playhead());
    QMouseEvent move(QEvent::MouseMove, at, film.mapToGlobal(at), Qt::NoButton, Qt::LeftButton, {});
    QApplication::sendEvent(&film, &move);
  };
  hold();
  play();
  while (rows().playhead() < 22.5 && d.work().listening.player().playing()) {
    QTest::qWait(15);
    hold();
  }
  QTest::mouseRelease(&film, Qt::LeftButton);
  pause();
  EXPECT_EQ(clip("stairs-02").chain.steps.back().type->id, "pan");
}

void SceneStory::swell_the_wind() {
  d.click(rows().viewport(), middle("wind-1"));
  QTest::keyClick(&d.window, Qt::Key_G);
  ASSERT_TRUE(edits::drawn_gain(clip("wind-1")));
  const QPointF first = rows().line_point(0);
  d.drag(rows().viewport(), first, first + QPointF(0, 12));
  const QPointF between = (rows().line_point(0) + rows().line_point(1)) / 2;
  d.drag(rows().viewport(), between, {between.x(), rows().line_point(1).y() - 3});
  const Curve& curve = *clip("wind-1").chain.steps.back().curves.at(0).curve;
  ASSERT_EQ(curve.points.size(), 3U);
  EXPECT_LT(curve.points[0].value, -10);
  EXPECT_GT(curve.points[1].value, curve.points[0].value + 8);
}

// Three voices in one hall.
void SceneStory::feed_the_space() {
  const SpaceId stairs = reel().spaces[0].id();
  for (const char* voice : {"Coast station", "Narrator"}) {
    auto menus = page().spaces().findChildren<QMenu*>();
    const auto feed = std::ranges::find(menus, QString("Feed it from"), &QMenu::title);
    ASSERT_NE(feed, menus.end());
    choose(*feed, voice);
    QTest::qWait(30);
  }
  int fed = 0;
  for (const Group& group : reel().groups) {
    SendBar* bar = page().spaces().bar(stairs, group.id);
    if (!bar) continue;
    ++fed;
    bar->setFocus();
    QTest::keyClick(bar, Qt::Key_Left);
  }
  EXPECT_EQ(fed, 3);
  for (const auto& g : reel().groups)
    if (g.name == "Narrator") EXPECT_DOUBLE_EQ(g.sends.at(0).level_db, -13);
}

void SceneStory::record_the_line() {
  AudioBuffer voice = test::continuous_speech(test::voices[0], 30);
  test::write_wav(folder / "microphone.wav", voice);
  ::setenv("DREVAN_MICROPHONE", (folder / "microphone.wav").c_str(), 1);
  go_to(54);
  const double at = rows().playhead();
  QTest::keyClick(&d.window, Qt::Key_Space, Qt::ShiftModifier);
  RecordStrip& strip = d.window.record_strip();
  ASSERT_TRUE(strip.isVisible());
  ASSERT_TRUE(d.wait_for([&] { return !d.work().recording.lanes().empty(); }));
  strip.findChild<QDoubleSpinBox*>("pre_roll")->setValue(0.5);
  strip.findChild<QComboBox*>("record_as")->setCurrentIndex(0);
  strip.findChild<QLineEdit*>("line_name")->setText("Answer");
  strip.findChild<QLineEdit*>("line_group")->setText("Ines dialogue");
  strip.findChild<QPlainTextEdit*>("line_text")->setPlainText("I hear you.");
  page().rows().setFocus();
  QTest::keyClick(&d.window, Qt::Key_Space, Qt::ShiftModifier);
  ASSERT_TRUE(d.wait_for([&] { return rows().playhead() > at + 2.5; }, 8000));
  QTest::keyClick(&d.window, Qt::Key_Space, Qt::ShiftModifier);
  ASSERT_TRUE(d.wait_for([&] { return d.clip_named("Answer, take 1") != 0; }));
  EXPECT_NEAR(clip("Answer, take 1").place.s, at, 1e-4);
  EXPECT_EQ(clip("Answer, take 1").text, "I hear you.");
  auto* close = strip.findChild<QToolButton*>("record_close");
  d.click(close, close->rect().center());
  EXPECT_FALSE(strip.isVisible());
}

void SceneStory::meet_the_target() {
  auto* beside = page().findChild<Segmented*>("beside");
  ASSERT_TRUE(beside);
  d.click(beside, beside->part_rect(1).center());
  ASSERT_TRUE(page().mix().isVisible());
  EXPECT_TRUE(page().mix_row().isVisible());
  auto* target = page().mix().findChild<QToolButton*>("mix_target");
  choose(target->menu(), "Broadcast, EBU R 128");
  ASSERT_TRUE(d.work().document.target());
  ASSERT_TRUE(
      d.wait_for([&] { return d.work().mix_watch.mix() && d.work().mix_watch.fresh(); }, 60000));
  EXPECT_FALSE(misses(*d.work().document.target(), d.work().mix_watch.mix()->levels).empty());
  auto* meet = page().mix().findChild<QToolButton*>("advice_action");
  d.click(meet, meet->rect().center());
  ASSERT_TRUE(d.wait_for(
      [&] {
        return d.work().mix_watch.fresh() && !d.work().mix_watch.busy() &&
               misses(*d.work().document.target(), d.work().mix_watch.mix()->levels).empty();
      },
      90000));
  EXPECT_EQ(d.work().document.history().undo_label(), "The mix meets the target");
}

void SceneStory::write_the_film(const QString& goal) {
  QTest::keyClick(&d.window, Qt::Key_Return, Qt::ControlModifier | Qt::ShiftModifier);
  auto* sheet = d.window.findChild<FilmSheet*>();
  ASSERT_TRUE(sheet);
  sheet->set_goal(goal);
  auto* write = sheet->findChild<QPushButton*>("primary");
  ASSERT_TRUE(write->isEnabled());
  d.click(write, write->rect().center());
  ASSERT_TRUE(d.wait_for([&] { return QFile::exists(goal); }, 120000));
}

// Left and right together, where high frequencies count more: low ones lie broadly.
std::vector<double> sharpened(const AudioBuffer& sound, Samples begin, Samples frames) {
  std::vector<double> out(static_cast<size_t>(frames));
  const auto at = [&](Samples i) {
    double x = 0;
    if (i >= 0 && i < sound.frames())
      for (int c = 0; c < sound.channels(); ++c)
        x += static_cast<double>(sound.channel(c)[static_cast<size_t>(i)]);
    return x;
  };
  for (Samples i = 0; i < frames; ++i)
    out[static_cast<size_t>(i)] = at(begin + i) - 2 * at(begin + i - 1) + at(begin + i - 2);
  return out;
}

// Every clip, rendered alone, lies in the film's sound at its place, within a sample.
void SceneStory::expect_places(const AudioBuffer& film) {
  FindingStore store;
  const CancelToken never;
  constexpr Samples most = 24;  // that are looked at on both sides
  const auto whole = sharpened(film, -most, film.frames() + 2 * most);
  int looked = 0;
  for (const Clip& c : reel().clips) {
    if (left_out(reel(), c)) continue;
    const auto file = folder / "alone.wav";
    std::filesystem::remove(file);
    render_clip({plan_of(reel(), c), file, Container::wav, SampleType::float32}, store, never);
    const AudioBuffer alone = test::read_all(file);
    const auto place = static_cast<Samples>(std::llround(c.place.s * 48000));
    const Samples frames = std::min(alone.frames(), film.frames() - place);
    const auto one = sharpened(alone, 0, frames);
    double best = 0;
    Samples lag = 99;
    for (Samples l = -most; l <= most; ++l) {
      const double* other = whole.data() + place + l + most;
      const double xy = std::abs(std::inner_product(one.begin(), one.end(), other, 0.0));
      if (xy > best) best = xy, lag = l;
    }
    EXPECT_LE(std::abs(lag), 1) << c.name;
    ++looked;
  }
  EXPECT_GE(looked, 14);
}

// The difference in level between left and right crosses zero where the actor crosses the middle.
void SceneStory::expect_crossing(const AudioBuffer& film) {
  double crosses_s = 12.5;
  while (demo::actor_at(crosses_s).x < demo::film_width / 2.0) crosses_s += 0.001;
  // A line through it, each moment by its power.
  const auto frame = static_cast<Samples>(2000);
  double w = 0, wt = 0, wy = 0, wtt = 0, wty = 0;
  for (double s = crosses_s - 1.5; s < crosses_s + 1.5; s += 1 / 24.0) {
    const auto at = static_cast<size_t>(std::llround(s * 48000));
    double l = 0, r = 0;
    for (size_t i = at; i < at + static_cast<size_t>(frame); ++i) {
      l += std::pow(static_cast<double>(film.channel(0)[i]), 2);
      r += std::pow(static_cast<double>(film.channel(1)[i]), 2);
    }
    const double t = s + 1 / 48.0 - crosses_s, y = 10 * std::log10(r / l), weight = l + r;
    w += weight;
    wt += weight * t;
    wy += weight * y;
    wtt += weight * t * t;
    wty += weight * t * y;
  }
  const double slope = (w * wty - wt * wy) / (w * wtt - wt * wt);
  const double zero_s = -(wy - slope * wt) / w / slope;
  EXPECT_GT(slope, 0.5) << "it goes from left to right";
  EXPECT_NEAR(zero_s, 0, 2 / 24.0);
  std::printf("  he crosses the middle at %.3f s, his steps %.0f ms %s\n", crosses_s,
              std::abs(1000 * zero_s), zero_s < 0 ? "before" : "behind");
}

TEST_F(SceneStory, FromTheFilmToTheFilm) {
  const auto goal = folder / "story.mov";
  const std::function<void()> acts[] = {
      [&] { open(); },
      [&] { drop_the_film(); },
      [&] { stretch_the_whoosh(); },
      [&] { follow_the_actor(); },
      [&] { swell_the_wind(); },
      [&] { feed_the_space(); },
      [&] { record_the_line(); },
      [&] { ready(); },
      [&] { meet_the_target(); },
      [&] { write_the_film(QString::fromStdString(goal.string())); }};
  for (const auto& act : acts) {
    act();
    if (HasFatalFailure()) return;
  }

  const auto probed = test::run(
      "ffprobe -v error -show_entries "
      "stream=codec_name,codec_type,sample_rate:stream_tags=timecode "
      "-of compact '" +
      goal.string() + "'");
  EXPECT_EQ(probed.code, 0);
  EXPECT_NE(probed.out.find("codec_name=h264"), std::string::npos) << probed.out;
  EXPECT_NE(probed.out.find("codec_name=pcm_s24le"), std::string::npos) << probed.out;
  EXPECT_NE(probed.out.find("timecode=01:00:00:00"), std::string::npos) << probed.out;
  const auto sound = folder / "film.wav";
  EXPECT_EQ(test::run("ffmpeg -v error -i '" + goal.string() + "' -map 0:a -c:a pcm_f32le '" +
                      sound.string() + "'")
                .code,
            0);
  const AudioBuffer film = test::read_all(sound);
  ASSERT_EQ(film.channels(), 2);
  expect_places(film);
  expect_crossing(film);
  // Everything that was done can be undone.
  for (auto* told : d.window.findChildren<QMessageBox*>())
    ADD_FAILURE() << told->text().toStdString();
  ASSERT_TRUE(d.wait_for([&] { return !d.window.findChild<FilmSheet*>(); }));
  ASSERT_TRUE(d.take_keys());
  for (int i = 0; i < 200 && d.work().document.history().can_undo(); ++i)
    QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_FALSE(d.work().document.history().can_undo()) << d.work().document.history().undo_label();
  EXPECT_EQ(reel().clips.size(), 13U);
}

}  // namespace
}  // namespace drevan::desktop

// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/scene_films.h"

#include <algorithm>
#include <cmath>

#include "audio/error.h"
#include "audio/time_text.h"
#include "engine/scene/film_cuts.h"
#include "media/film_pictures.h"
#include "reel/scene/scene_edits.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/notices.h"

namespace drevan::desktop {

namespace {

constexpr size_t most_small = 4000;

QImage image_of(const FilmPicture& p, int rotation_deg) {
  const QImage wrapped(p.pixels.data(), p.width, p.height, 3 * p.width, QImage::Format_RGB888);
  return rotation_deg == 0 ? wrapped.copy()
                           : wrapped.transformed(QTransform().rotate(rotation_deg));
}

}  // namespace

SceneFilms::SceneFilms(Notices& notices, Document& document, QObject* parent)
    : QObject(parent), notices_(notices), document_(document) {
  for (TaskLane* lane : {&lane_, &small_lane_, &add_lane_, &cuts_lane_}) {
    connect(lane, &TaskLane::failed, this, [this](const Problem& why) { notices_.warn(why); });
  }
  connect(&document_, &Document::opened, this, [this] {
    known_.clear();
    told_.clear();
  });
  connect(&document_, &Document::reel_changed, this, &SceneFilms::look);
}

const FilmInfo* SceneFilms::info(const Film& film) const {
  const auto at = known_.find(film.path.string());
  return at == known_.end() || !at->second.info ? nullptr : &*at->second.info;
}

QString SceneFilms::fault(const Film& film) const {
  const auto at = known_.find(film.path.string());
  return at == known_.end() ? QString() : at->second.fault;
}

// What is not known yet is read.
void SceneFilms::look() {
  std::vector<std::string> unknown;
  for (const Film& film : document_.reel().films)
    if (!known_.contains(film.path.string())) unknown.push_back(film.path.string());
  const auto tell = [this] {
    told_ = document_.reel().films;
    Q_EMIT films_changed();
  };
  if (unknown.empty()) {
    if (told_ != document_.reel().films) tell();
    return;
  }
  lane_.start([this, unknown, tell](const CancelToken& cancel) -> TaskLane::Finish {
    std::map<std::string, Known> found;
    for (const auto& file : unknown) {
      cancel.check();
      Known& known = found[file];
      try {
        known.info = read_film_info(file);
      } catch (const Error& e) {
        known.fault = QString::fromUtf8(e.what());
      }
    }
    return [this, found, tell] {
      for (const auto& [file, known] : found) {
        known_[file] = known;
        if (!known.fault.isEmpty()) notices_.warn(known.fault);
      }
      tell();
    };
  });
}

const Film* SceneFilms::at(double reel_s) const {
  const Film* out = nullptr;
  for (const Film& film : document_.reel().films) {
    const FilmInfo* of = info(film);
    if (of && reel_s >= film.place.s - 1e-6 && reel_s < film.place.s + of->seconds) out = &film;
  }
  return out;
}

double SceneFilms::end_s() const {
  double end = 0;
  for (const Film& film : document_.reel().films)
    if (const FilmInfo* of = info(film)) end = std::max(end, film.place.s + of->seconds);
  return end;
}

std::optional<TimecodeRate> SceneFilms::rate() const {
  for (const Film& film : document_.reel().films)
    if (const FilmInfo* of = info(film)) return timecode_rate(of->frames_per_s, of->timecode);
  return std::nullopt;
}

double SceneFilms::picture_s() const {
  for (const Film& film : document_.reel().films)
    if (const FilmInfo* of = info(film); of && of->frames_per_s > 0) return 1 / of->frames_per_s;
  return 0.04;
}

double SceneFilms::to_picture(double reel_s) const {
  const Film* film = at(reel_s);
  if (!film && !document_.reel().films.empty()) film = &document_.reel().films.front();
  if (!film || !info(*film)) return reel_s;
  const double one = picture_s();
  return std::max(0.0, film->place.s + std::round((reel_s - film->place.s) / one) * one);
}

QString SceneFilms::moment_text(double reel_s) const {
  const Film* film = at(reel_s);
  if (!film && !document_.reel().films.empty()) film = &document_.reel().films.front();
  const FilmInfo* of = film ? info(*film) : nullptr;
  const auto rate = of ? timecode_rate(of->frames_per_s, of->timecode) : std::nullopt;
  if (!rate) return QString::fromStdString(clock_text(reel_s));
  const auto first = frame_of(of->timecode, *rate).value_or(0);
  // A moment that begins a picture belongs to it, whatever its last digits say.
  const auto frame = frame_at(std::max(0.0, reel_s - film->place.s) + 1e-6, *rate);
  return QString::fromStdString(timecode(first + frame, *rate));
}

std::optional<double> SceneFilms::moment_of(const QString& typed) const {
  const std::string text = typed.trimmed().toStdString();
  if (const auto s = seconds_from_text(text)) return s;
  const auto& films = document_.reel().films;
  const FilmInfo* of = films.empty() ? nullptr : info(films.front());
  const auto rate = of ? timecode_rate(of->frames_per_s, of->timecode) : std::nullopt;
  const auto frame = rate ? frame_of(text, *rate) : std::nullopt;
  if (!frame) return std::nullopt;
  const auto first = frame_of(of->timecode, *rate).value_or(0);
  return films.front().place.s + static_cast<double>(*frame - first) / rate->exact();
}

QImage SceneFilms::small_picture(const Film& film, double film_s, double step_s) {
  const int ms = static_cast<int>(std::lround(std::floor(film_s / step_s) * step_s * 1000));
  const std::pair key{film.path.string(), ms};
  const auto at = small_.find(key);
  if (at != small_.end()) return at->second;
  if (!info(film)) return {};
  if (std::ranges::find(wanted_small_, key) == wanted_small_.end()) wanted_small_.push_back(key);
  if (!small_lane_.busy())
    QMetaObject::invokeMethod(this, &SceneFilms::make_small, Qt::QueuedConnection);
  return {};
}

void SceneFilms::make_small() {
  if (small_lane_.busy() || wanted_small_.empty()) return;
  if (small_.size() > most_small) small_.clear();
  auto wanted = std::exchange(wanted_small_, {});
  std::ranges::sort(wanted);
  small_lane_.start([this, wanted](const CancelToken& cancel) -> TaskLane::Finish {
    std::string open;
    std::unique_ptr<FilmPictures> film;
    for (const auto& [file, ms] : wanted) {
      cancel.check();
      QImage picture(1, 1, QImage::Format_RGB888);
      try {
        if (file != open) {
          open = file;
          const FilmInfo info = read_film_info(file);
          const int width =
              std::clamp(small_height * info.width / std::max(1, info.height), 8, 200);
          film = std::make_unique<FilmPictures>(file, PixelForm::rgb, width, small_height);
        }
        film->seek(ms / 1000.0);
        if (const auto p = film->next()) picture = image_of(*p, film->rotation_deg());
      } catch (const Error&) {  // told when the film was looked at
      }
      take_small(cancel, {file, ms}, picture);
    }
    return [this] {
      if (!wanted_small_.empty()) make_small();
    };
  });
}

void SceneFilms::take_small(const CancelToken& cancel, const std::pair<std::string, int>& key,
                            const QImage& picture) {
  small_lane_.post(cancel, [this, key, picture] {
    small_[key] = picture;
    Q_EMIT small_changed();
  });
}

void SceneFilms::add(const QStringList& files, double place_s) {
  add_lane_.enqueue([this, files, place_s](const CancelToken& cancel) -> TaskLane::Finish {
    std::vector<std::pair<std::filesystem::path, FilmInfo>> found;
    QStringList faults;
    for (const auto& file : files) {
      cancel.check();
      try {
        found.emplace_back(file.toStdString(), read_film_info(file.toStdString()));
      } catch (const Error& e) {
        faults << QString::fromUtf8(e.what());
      }
    }
    return [this, found, faults, place_s] {
      double at = place_s;
      for (const auto& [file, info] : found) {
        known_[file.string()] = {info, {}};
        document_.change(
            [&](const Reel& reel) { return edits::add_film(reel, file, ReelTime{at}); });
        at += info.seconds;
      }
      if (!faults.isEmpty()) notices_.warn(faults.join(' '));
    };
  });
}

void SceneFilms::add_sounds() {
  const auto films = document_.reel().films;
  if (films.empty())
    return notices_.warn(tr("There is no film yet whose sound could be taken; add one first."));
  add_lane_.enqueue([this, films](const CancelToken& cancel) -> TaskLane::Finish {
    std::vector<std::pair<Source, ReelTime>> sounds;
    QStringList faults;
    for (const Film& film : films) {
      try {
        sounds.emplace_back(examine_source(film.path, &cancel), film.place);
      } catch (const Error& e) {
        faults << QString::fromUtf8(e.what());
      }
    }
    return [this, sounds, faults] {
      for (const auto& [source, place] : sounds)
        document_.change([&](const Reel& reel) {
          return edits::add_clip_at(reel, source, tr("Film sound").toStdString(), place);
        });
      if (!faults.isEmpty()) notices_.warn(faults.join(' '));
    };
  });
}

void SceneFilms::find_cuts() {
  const auto films = document_.reel().films;
  if (films.empty())
    return notices_.warn(tr("There is no film yet in which cuts could be found; add one first."));
  Q_EMIT cuts_progress(0);
  cuts_lane_.start([this, films](const CancelToken& cancel) -> TaskLane::Finish {
    std::vector<Event> events;
    QString fault;
    for (size_t i = 0; i < films.size(); ++i) {
      try {
        const auto cuts = find_film_cuts(films[i].path, cancel, [&](double p) {
          const double share = (static_cast<double>(i) + p) / static_cast<double>(films.size());
          cuts_lane_.post(cancel, [this, share] { Q_EMIT cuts_progress(std::min(share, 0.99)); });
        });
        for (const double s : cuts)
          events.push_back(
              {films[i].place + ReelSpan{s}, "Cut " + std::to_string(events.size() + 1)});
      } catch (const Error& e) {
        fault = QString::fromUtf8(e.what());
      }
    }
    return [this, events, fault] {
      Q_EMIT cuts_progress(1);
      if (!fault.isEmpty()) return notices_.warn(fault);
      // Where there is an event already, none is added.
      std::vector<Event> fresh;
      for (const Event& e : events)
        if (std::ranges::none_of(document_.reel().events, [&](const Event& other) {
              return std::abs((other.at - e.at).s) < picture_s() / 2;
            }))
          fresh.push_back(e);
      if (!fresh.empty())
        document_.change(
            [&](const Reel& reel) { return edits::add_events(reel, fresh, "Find the cuts"); });
      notices_.tell(tr("%1 found.").arg(counted(std::ssize(events), tr("cut"))));
    };
  });
}

}  // namespace drevan::desktop

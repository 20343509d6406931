// SPDX-License-Identifier: GPL-3.0-or-later
// What the reel's films are: how long, how many pictures a second, and small pictures of them.
#pragma once

#include <QImage>
#include <QObject>
#include <map>
#include <optional>

#include "audio/timecode.h"
#include "media/film_file.h"
#include "reel/scene/scene.h"
#include "work/open_reel.h"

namespace drevan::desktop {

class Document;
class Notices;

class SceneFilms : public QObject {
  Q_OBJECT

 public:
  SceneFilms(Notices& notices, Document& document, QObject* parent = nullptr);

  /// nullptr until it is known, or when it cannot be read.
  const FilmInfo* info(const Film& film) const;
  /// Why it cannot be read, in a sentence; empty: it can, or it is not known yet.
  QString fault(const Film& film) const;
  /// The film that is seen at a moment of the reel; nullptr: none.
  const Film* at(double reel_s) const;
  /// Where the last film ends; 0: there is none.
  double end_s() const;

  /// How the reel's moments are counted: as the first film does, in pictures; empty without a film.
  std::optional<TimecodeRate> rate() const;
  /// "00:01:12:08" by the film that is seen then, by its own beginning; "1:12.33" without.
  QString moment_text(double reel_s) const;
  /// What was typed as such, or as seconds; nullopt: no moment.
  std::optional<double> moment_of(const QString& typed) const;
  /// The picture that is seen at a moment begins there; the moment itself without a film.
  double to_picture(double reel_s) const;
  /// How long a picture is seen; 0.04 without a film.
  double picture_s() const;

  /// A small picture of a film, where it is known; otherwise it is made, and small_changed() tells.
  /// `step`: seconds between such pictures, from which the nearest is taken.
  QImage small_picture(const Film& film, double film_s, double step_s);
  static constexpr int small_height = 36;

  /// Adds films behind each other, from `place_s` on. Those that cannot be read are told.
  void add(const QStringList& files, double place_s);
  /// The sound of each film becomes a clip that begins with its first picture. Those without are
  /// told.
  void add_sounds();
  /// Marks the cuts of all films as events. Tells how many there are.
  void find_cuts();

 Q_SIGNALS:
  void films_changed();
  void small_changed();
  /// Of finding cuts: 0 to 1; 1 when it is done or given up.
  void cuts_progress(double share);

 public Q_SLOTS:
  void cancel_cuts() { cuts_lane_.cancel(); }

 private:
  struct Known {
    std::optional<FilmInfo> info;
    QString fault;
  };
  void look();
  void make_small();
  void take_small(const CancelToken& cancel, const std::pair<std::string, int>& key,
                  const QImage& picture);

  Notices& notices_;
  Document& document_;
  std::map<std::string, Known> known_;                   // by path
  SharedList<Film> told_;                                // as films_changed() told them last
  std::map<std::pair<std::string, int>, QImage> small_;  // by path and milliseconds
  std::vector<std::pair<std::string, int>> wanted_small_;
  ReelLane lane_{document_, TaskLane::Urgency::background},
      small_lane_{document_, TaskLane::Urgency::background}, add_lane_{document_},
      cuts_lane_{document_, TaskLane::Urgency::background};
};

}  // namespace drevan::desktop

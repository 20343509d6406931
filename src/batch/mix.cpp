#include "batch/mix.h"

#include <fmt/format.h>
#include <unistd.h>

#include <cmath>
#include <limits>

#include "audio/error.h"
#include "audio/replace_file.h"
#include "batch/record.h"
#include "media/reader.h"
#include "reel/source_files.h"

namespace drevan {

namespace fs = std::filesystem;

namespace {

constexpr int block = 4096;
constexpr size_t whole = std::numeric_limits<size_t>::max();

// Gone with its owner, and all that is in it.
class TemporaryFolder {
 public:
  explicit TemporaryFolder(const fs::path& beside)
      : path_(beside / fmt::format(".drevan-mix-{}", ::getpid())) {
    make_folder(path_);
  }
  ~TemporaryFolder() {
    std::error_code error;
    fs::remove_all(path_, error);
  }
  TemporaryFolder(const TemporaryFolder&) = delete;
  TemporaryFolder& operator=(const TemporaryFolder&) = delete;
  const fs::path& path() const { return path_; }

 private:
  fs::path path_;
};

// A clip on the timeline. Opened when its place is reached, closed when it has ended.
struct PlacedClip {
  Samples begin = 0, frames = 0;
  size_t group = 0;
  fs::path file;
  std::unique_ptr<AudioReader> reader{};
};

// What is summed and written: the mix, or a group's stem.
struct Bus {
  MixFile file;
  std::unique_ptr<AudioWriter> writer{};
  std::unique_ptr<LevelMeter> meter{};
  AudioBuffer sum{};
};

class Timeline {
 public:
  Timeline(const Reel& reel, std::vector<PlacedClip> placed, const BatchOptions& options,
           const MixOptions& what)
      : placed_(std::move(placed)), what_(what) {
    for (const auto& l : placed_) {
      channels_ = std::max(channels_, open_audio(l.file)->info().channels);
      frames_ = std::max(frames_, l.begin + l.frames);
    }
    std::ranges::stable_sort(placed_, {}, &PlacedClip::begin);
    scratch_ = AudioBuffer(std::max(channels_, 1), block);
    // Names are settled together.
    std::vector<BatchJob> named;
    const auto protects = std::make_shared<const std::vector<fs::path>>(source_files(reel));
    const auto name = [&](const std::string& of, size_t group) {
      named.push_back({fmt::format("{} {}", reel.name, of), of, reel.name, {}, false, {}});
      named.back().protects = protects;
      groups_.push_back(group);
    };
    if (what.mix) name("mix", whole);
    for (size_t g = 0; what.stems && g < reel.groups.size(); ++g)
      if (std::ranges::any_of(placed_, [&](const PlacedClip& l) { return l.group == g; }))
        name(reel.groups[g].name, g);
    BatchOptions naming = options;
    naming.pattern = "{clip}";
    naming.also.clear();
    const auto names = output_names(named, naming);
    make_folder(options.folder);
    record_.emplace(options.folder, options.part, BatchRecord::Use::writing);
    for (size_t i = 0; i < named.size(); ++i) {
      Bus t;
      t.file.name = named[i].group;
      t.file.stem = groups_[i] != whole;
      t.file.output = names[i];
      t.writer = std::make_unique<AudioWriter>(t.file.output, WriteFormat{options.container, options.samples, reel.rate, channels_}, frames_, SourceMarks{"", 0});
      t.meter = std::make_unique<LevelMeter>(StreamFormat{reel.rate, channels_, block}, Detail::full);
      t.sum = AudioBuffer(channels_, block);
      buses_.push_back(std::move(t));
    }
  }

  std::vector<MixFile> run(const std::atomic<bool>* pause, const CancelToken& cancel, const Progress& progress) {
    for (Samples at = 0; at < frames_; at += block) {
      wait_while_paused(pause, cancel);
      sum_and_write(at, static_cast<int>(std::min<Samples>(block, frames_ - at)));
      if (progress) progress(static_cast<double>(at) / static_cast<double>(frames_));
    }
    std::vector<MixFile> out;
    for (size_t i = 0; i < buses_.size(); ++i) {
      Bus& t = buses_[i];
      t.writer->commit();
      record_->keep(t.file.output);
      t.file.levels = t.meter->levels();
      t.file.clipped = t.writer->clipped();
      if (what_.target && !t.file.stem)
        for (const Miss& miss : misses(*what_.target, t.file.levels)) t.file.missed.push_back(miss_text(miss));
      out.push_back(std::move(t.file));
    }
    return out;
  }

 private:
  void sum_and_write(Samples at, int n) {
    for (auto& t : buses_) t.sum.block(0, n).clear();
    while (next_ < placed_.size() && placed_[next_].begin < at + n) sounding_.push_back(next_++);
    std::erase_if(sounding_, [&](size_t i) {
      PlacedClip& l = placed_[i];
      if (!l.reader) {
        l.reader = open_audio(l.file);
        l.reader->seek(std::max<Samples>(
            0, at - l.begin));  // what would come before the reel's beginning is not heard
      }
      add_to_buses(l, at, n);
      if (l.begin + l.frames > at + n) return false;
      l.reader.reset();
      return true;
    });
    for (auto& t : buses_) {
      t.writer->write(t.sum.block(0, n));
      t.meter->hear(t.sum.block(0, n));
    }
  }

  void add_to_buses(PlacedClip& l, Samples at, int n) {
    const auto offset = static_cast<int>(std::max<Samples>(0, l.begin - at));
    const auto wanted = static_cast<int>(std::min<Samples>(n - offset, l.begin + l.frames - std::max(at, l.begin)));
    const int own = l.reader->info().channels;
    std::array<float*, max_channels> data{};
    for (int c = 0; c < own; ++c) data[static_cast<size_t>(c)] = scratch_.channel(c).data();
    const int got = l.reader->read({data.data(), own, wanted});
    const bool middle = own == 1 && channels_ > 1;
    const float gain = middle ? std::sqrt(0.5F) : 1.0F;
    for (size_t t = 0; t < buses_.size(); ++t) {
      if (groups_[t] != whole && groups_[t] != l.group) continue;
      for (int c = 0; c < (middle ? 2 : own); ++c) {
        const auto in = scratch_.channel(middle ? 0 : c);
        const auto out = buses_[t].sum.channel(c).subspan(static_cast<size_t>(offset));
        for (size_t i = 0; i < static_cast<size_t>(got); ++i) out[i] += gain * in[i];
      }
    }
  }

  std::vector<PlacedClip> placed_;
  MixOptions what_;
  std::vector<Bus> buses_;
  std::optional<BatchRecord> record_;
  std::vector<size_t> groups_;  // of each track; `whole`: the mix
  std::vector<size_t> sounding_;
  size_t next_ = 0;
  int channels_ = 1;
  Samples frames_ = 0;
  AudioBuffer scratch_;
};

}  // namespace

MixResult render_mix(const Reel& reel, const BatchOptions& options, const MixOptions& what, FindingStore& store, const CancelToken& cancel,
                     const Progress& progress) {
  if (options.container == Container::flac && options.samples == SampleType::float32)
    throw Error(Error::Kind::call, "FLAC cannot hold 32-bit float; choose 16 or 24 bits, or WAV.");
  for (const auto& c : reel.clips)
    if (!(c.place_s >= 0 && c.place_s <= latest_place_s))
      throw Error(Error::Kind::call, fmt::format("{} stands at {} s; a clip may begin at 0 to {:.0f} s. Move it.", c.name, c.place_s, latest_place_s));
  const TemporaryFolder temporary(fs::absolute(options.folder));
  std::vector<int> ids;
  for (const auto& c : reel.clips) ids.push_back(c.id);
  const auto jobs = batch_jobs(reel, ids);
  BatchOptions through;
  through.folder = temporary.path();
  through.pattern = "{number}";
  through.samples = SampleType::float32;
  through.workers = options.workers;
  through.pause = options.pause;
  MixResult result;
  result.clips.resize(jobs.size());
  result.clips = run_batch(jobs, through, store, cancel, [&](size_t i, const JobResult& r) {
    result.clips[i] = r;
    if (progress) progress(0.8 * share_done(jobs, result.clips));
  });
  cancel.check();
  std::vector<PlacedClip> placed;
  for (size_t i = 0; i < jobs.size(); ++i) {
    if (result.clips[i].state != JobState::done) continue;
    const Clip& clip = *reel.find(ids[i]);
    // What comes before its beginning begins earlier.
    const Samples begin = std::llround(clip.place_s * reel.rate) - result.clips[i].render.lead;
    placed.push_back({begin, result.clips[i].render.after.frames, static_cast<size_t>(clip.group),
                      result.clips[i].output});
  }
  if (placed.empty())
    throw Error(Error::Kind::input, "No clip could be rendered, so there is nothing to mix.");
  result.files =
      Timeline(reel, std::move(placed), options, what).run(options.pause, cancel, [&](double p) {
        if (progress) progress(0.8 + 0.2 * p);
      });
  for (auto& clip : result.clips) clip.output.clear();  // on its way only
  return result;
}

}  // namespace drevan

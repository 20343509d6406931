#include "work/mix_sum.h"

#include "audio/error.h"
#include "audio/hash.h"
#include "batch/mix.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

struct Rendered {
  Source file;
  std::uint64_t key = 0;
  QString problem;
};

MixSum::MixSum(Notices& notices, Document& document, Selection& selection,
               Measurements& measurements, QObject* parent)
    : QObject(parent),
      notices_(notices),
      document_(document),
      selection_(selection),
      measurements_(measurements) {
  // Edits follow each other quickly; a sum is no matter of a moment.
  soon_.setSingleShot(true);
  soon_.setInterval(400);
  connect(&soon_, &QTimer::timeout, this, [this] { render(false); });
  connect(&lane_, &TaskLane::failed, this, [this](const QString& why) { notices_.warn(why); });
  connect(&document_, &Document::leaving, this, [this] {
    lane_.cancel();
    soon_.stop();
    key_ = 0;
  });
  connect(&document_, &Document::reel_changed, this, &MixSum::follow);
}

// What changes in a clip changes the mix that is looked at.
void MixSum::follow() {
  if (selection_.clip_id() == mix_clip_id && !document_.previewing()) soon_.start();
}

void MixSum::open() {
  if (document_.reel().clips.empty())
    return notices_.warn(tr("There is no clip yet, so there is nothing to mix; add some first."));
  document_.end_preview();
  render(true);
}

void MixSum::render(bool select) {
  if (!folder_.isValid())
    return notices_.warn(tr("No room was found for the mix on the temporary disk (%1); free some.")
                             .arg(folder_.errorString()));
  // Asked for again while it is on its way: it is selected when it is there.
  select_ = select || (lane_.busy() && select_);
  lane_.start([this, reel = document_.shared(), known = key_, stores = measurements_.stores(),
               folder = fs::path(folder_.path().toStdString())](
                  const CancelToken& cancel) -> TaskLane::Finish {
    Rendered sum;
    sum.key = sum_key(*reel);
    if (sum.key == known) return [this, sum] { take(sum, select_); };
    lane_.post(cancel, [this] { Q_EMIT progress(0); });
    try {
      sum.file =
          render_sum(*reel, folder / ("sum-" + to_hex(sum.key) + ".wav"), stores->findings, cancel,
                     [this, &cancel, last = 0](double p) mutable {
                       if (static_cast<int>(p * 100) == last) return;
                       last = static_cast<int>(p * 100);
                       lane_.post(cancel, [this, p] { Q_EMIT progress(std::min(p, 0.99)); });
                     });
    } catch (const Error& e) {
      sum.problem = QString::fromUtf8(e.what());
    }
    return [this, sum] { take(sum, select_); };
  });
}

void MixSum::take(const Rendered& sum, bool select) {
  Q_EMIT progress(1);
  if (!sum.problem.isEmpty()) return notices_.warn(sum.problem);
  if (sum.key != key_) {
    // The one before it may still be read for a moment; the one before that is not.
    std::error_code error;
    if (!before_.empty() && before_ != sum.file.path) fs::remove(before_, error);
    before_ = document_.reel().mix_source.path;
    key_ = sum.key;
    document_.set_mix_source(sum.file);
  }
  if (!select) return;
  select_ = false;
  selection_.select_clip(mix_clip_id);
  Q_EMIT opened();
}

}  // namespace drevan::desktop

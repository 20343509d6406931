#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "audio/decibel.h"
#include "pictures/pictures.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

ResponsePicture::ResponsePicture(const Work& work, StepId id, QWidget* parent)
    : StepPicture(work, id, parent),
      live_in_({work.document.reel().rate, 1, 4096}),
      live_out_({work.document.reel().rate, 1, 4096}) {
  setAccessibleName(tr("Response"));
  setToolTip(
      tr("<p>Drag a dot to move its band; the wheel over it sets its width (Q), a double "
         "click puts it back. Behind the curve: the sound before (line) and after (filled)."
         "</p>"));
  if (!step()->type->handles.empty() && step()->type->handles[0].page > 0)
    page_ = step()->type->handles[0].page;
  ResponsePicture::refresh();
}

void ResponsePicture::refresh() {
  if (const auto* l = work_.measurements.levels();
      l && !work_.listening.player().playing() && !l->spectrum_in.empty()) {
    shown_in_ = l->spectrum_in;
    shown_out_ = l->spectrum_out;
  }
  update();
}

void ResponsePicture::live(std::span<const float>, std::span<const float> in,
                           std::span<const float> out) {
  if (in.empty()) return refresh();
  const auto hear = [](SpectrumMeter& meter, std::span<const float> x, std::vector<float>& shown) {
    std::vector<float> copy(x.begin(), x.end());
    float* samples = copy.data();
    meter.hear({&samples, 1, static_cast<int>(copy.size())});
    const auto now = meter.power();
    meter.reset();
    if (now[4] <= 0 && shown.size() == now.size()) return;  // less than a window came
    shown.resize(now.size());
    // Up at once, down slowly: peaks can be read.
    for (size_t i = 0; i < now.size(); ++i) shown[i] = std::max(now[i], shown[i] * 0.8F);
  };
  hear(live_in_, in, shown_in_);
  hear(live_out_, out, shown_out_);
  update();
}

std::pair<double, double> ResponsePicture::span_db() const {
  // Bands that lift need room above, depths below; cuts only fall.
  for (const auto& h : step()->type->handles) {
    if (h.down) return {6, -66};
    if (h.y >= 0) return {20, -20};
  }
  return {6, -36};
}
double ResponsePicture::y_of(double db) const {
  const QRectF r = plot_rect();
  const auto [top, bottom] = span_db();
  return r.top() + r.height() * (top - db) / (top - bottom);
}

QPointF ResponsePicture::handle_at(size_t i) const {
  const ChainStep* s = step();
  const Handle& h = s->type->handles[i];
  const double hz = h.x < 0 ? h.hz : settings()[static_cast<size_t>(h.x)];
  const double x = axis().x_of(hz);
  if (h.y >= 0) return {x, y_of(settings()[static_cast<size_t>(h.y)] * (h.down ? -1 : 1))};
  const auto& p = s->type->parameters[static_cast<size_t>(h.x)];
  const bool off = p.off_at && hz == *p.off_at;
  return {x, y_of(off ? 0 : -3)};
}

int ResponsePicture::handle_near(QPointF point) const {
  int best = -1;
  double distance = 14;
  for (size_t i = 0; i < step()->type->handles.size(); ++i) {
    const double d = QLineF(point, handle_at(i)).length();
    // Of handles that lie together the shown one is taken.
    const double bonus = step()->type->handles[i].page == page_ ? 2 : 0;
    if (d - bonus >= distance) continue;
    distance = d - bonus;
    best = static_cast<int>(i);
  }
  return best;
}

// Tilted by 3 dB an octave, as ears do.
QPolygonF ResponsePicture::line_of(std::span<const float> power) const {
  return spectrum_line(axis(), power, work_.document.reel().rate / SpectrumMeter::size, -10, 3);
}

void ResponsePicture::draw_curve(QPainter& p) const {
  const ChainStep* s = step();
  const QRectF r = plot_rect();
  QPolygonF curve;
  const Settings now = settings();
  for (double x = r.left(); x <= r.right(); x += 1.5)
    curve << QPointF(x,
                     y_of(s->type->response_db(now, axis().hz_at(x), work_.document.reel().rate)));
  p.setPen(QPen(s->on ? theme().after : theme().quiet, 2));
  p.setBrush(Qt::NoBrush);
  p.drawPolyline(curve);
}

// Each too narrow to be seen in the curve: drawn as a stroke from where the curve is to how deep it goes.
void ResponsePicture::draw_found_lines(QPainter& p) const {
  const ChainStep* s = step();
  if (!s->type->found_lines) return;
  const Theme& t = theme();
  const auto* levels = work_.measurements.levels();
  const int active = work_.selection.running_index(step_id_);
  const bool known = levels && active >= 0 && active < static_cast<int>(levels->findings.size());
  const auto lines =
      known ? s->type->found_lines(settings(), levels->findings[static_cast<size_t>(active)])
            : std::vector<FoundLine>{};
  // Where it looks: mains frequencies times the highest harmonic.
  if (const int i = parameter_index(*s->type, "harmonics"); i >= 0)
    p.fillRect(QRectF(QPointF(axis().x_of(49), y_of(0)),
                      QPointF(axis().x_of(61 * settings()[static_cast<size_t>(i)]), y_of(0) + 5)),
               faded(t.removed, 0.4));
  p.setPen(QPen(s->on ? t.removed : t.quiet, 2));
  for (const auto& line : lines) {
    const double x = axis().x_of(line.hz);
    p.drawLine(QPointF(x, y_of(0)), QPointF(x, y_of(line.db)));
  }
  if (!known || !s->on) return;
  p.setPen(lines.empty() ? t.attention : t.text);
  p.drawText(plot_rect().adjusted(10, 4, -10, -6), Qt::AlignRight | Qt::AlignBottom,
             lines.empty() ? tr("Nothing was found in this clip: the step does nothing here")
                           : tr("found at %1 Hz, %2")
                                 .arg(lines.front().hz, 0, 'f', 2)
                                 .arg(counted(std::ssize(lines), tr("line"))));
}

void ResponsePicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  axis().draw(p);
  draw_db_grid(p, plot_rect(), -60, 18, span_db().second < -30 ? 12 : 6,
               [this](double db) { return y_of(db); });
  p.setClipRect(plot_rect());
  const Theme& t = theme();
  fill_below(p, line_of(shown_out_), plot_rect().bottom(), faded(t.after, 0.22));
  p.setPen(QPen(faded(t.before, 0.8), 1));
  p.drawPolyline(line_of(shown_in_));
  draw_curve(p);
  draw_found_lines(p);
  p.setClipping(false);
  const auto& handles = step()->type->handles;
  for (size_t i = 0; i < handles.size(); ++i) {
    const QPointF at = handle_at(i);
    const bool active = handles[i].page == page_ && page_ > 0;
    const bool held = held_ == static_cast<int>(i);
    const bool idle = handles[i].y >= 0 && settings()[static_cast<size_t>(handles[i].y)] == 0;
    p.setPen(QPen(active || held ? t.attention : t.text, 1.5));
    p.setBrush(active || held ? t.attention : idle ? t.panel : t.text);
    p.drawEllipse(at, 8, 8);
    if (handles[i].page == 0) continue;
    p.setPen(active || held || !idle ? t.window : t.text);
    p.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), Qt::AlignCenter,
               QString::number(handles[i].page));
  }
}

void ResponsePicture::mousePressEvent(QMouseEvent* e) {
  held_ = handle_near(e->position());
  if (held_ >= 0) set_page(step()->type->handles[static_cast<size_t>(held_)].page);
  update();
}

void ResponsePicture::mouseMoveEvent(QMouseEvent* e) {
  if (held_ < 0) {
    setCursor(handle_near(e->position()) >= 0 ? Qt::OpenHandCursor : Qt::ArrowCursor);
    return;
  }
  const Handle& h = step()->type->handles[static_cast<size_t>(held_)];
  if (h.x >= 0) move_sideways(h.x, e->position().x());
  if (h.y < 0) return;
  const auto& py = step()->type->parameters[static_cast<size_t>(h.y)];
  const double db = (y_of(0) - e->position().y()) / (y_of(0) - y_of(1)) * (h.down ? -1 : 1);
  Q_EMIT changed(
      h.y, std::clamp(std::abs(db) < 0.35 ? 0.0 : std::round(db * 10) / 10, py.least, py.most));
}

void ResponsePicture::move_sideways(int parameter, double x) {
  const auto& p = step()->type->parameters[static_cast<size_t>(parameter)];
  const QRectF r = plot_rect();
  double hz = axis().hz_at(x);
  // Pulled out of the picture on its own side, a cut is off.
  if (p.off_at) {
    if (*p.off_at == p.least && x <= r.left()) hz = *p.off_at;
    if (*p.off_at == p.most && x >= r.right()) hz = *p.off_at;
  }
  Q_EMIT changed(parameter, std::clamp(hz, p.least, p.most));
}

void ResponsePicture::mouseReleaseEvent(QMouseEvent*) {
  if (std::exchange(held_, -1) >= 0) Q_EMIT settled();
  update();
}

void ResponsePicture::mouseDoubleClickEvent(QMouseEvent* e) {
  const int i = handle_near(e->position());
  if (i < 0) return;
  const Handle& h = step()->type->handles[static_cast<size_t>(i)];
  for (const int p : {h.x, h.y, h.width})
    if (p >= 0) Q_EMIT changed(p, step()->type->parameters[static_cast<size_t>(p)].standard);
  Q_EMIT settled();
}

void ResponsePicture::wheelEvent(QWheelEvent* e) {
  const int i = handle_near(e->position());
  if (i < 0) return e->ignore();
  const Handle& h = step()->type->handles[static_cast<size_t>(i)];
  if (h.width < 0) return e->ignore();
  set_page(h.page);
  const auto& p = step()->type->parameters[static_cast<size_t>(h.width)];
  const double f =
      to_fraction(p, settings()[static_cast<size_t>(h.width)]) + e->angleDelta().y() / 120.0 * 0.03;
  Q_EMIT changed(h.width, from_fraction(p, f));
  e->accept();
}

}  // namespace drevan::desktop

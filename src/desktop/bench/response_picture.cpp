#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "audio/decibel.h"
#include "bench/pictures.h"
#include "theme/theme.h"

namespace drevan::desktop {

namespace {
constexpr double lowest_hz = 20, highest_hz = 20000;

// Between bins where they lie wide apart on the screen, their mean where they lie close.
double mean_power(std::span<const float> power, double from, double to) {
  const auto first = static_cast<size_t>(from);
  if (to - from < 1) {
    const double f = (from + to) / 2 - std::floor((from + to) / 2);
    const auto k = static_cast<size_t>((from + to) / 2);
    return (1 - f) * static_cast<double>(power[k]) + f * static_cast<double>(power[std::min(k + 1, power.size() - 1)]);
  }
  double sum = 0;
  const auto last = std::min(power.size() - 1, static_cast<size_t>(to));
  for (size_t k = first; k <= last; ++k) sum += static_cast<double>(power[k]);
  return sum / static_cast<double>(last - first + 1);
}

}

ResponsePicture::ResponsePicture(Workspace& workspace, StepPlace place, QWidget* parent)
    : StepPicture(workspace, place, parent),
      live_in_({workspace.reel().rate, 1, 4096}),
      live_out_({workspace.reel().rate, 1, 4096}) {
  setAccessibleName(tr("Response"));
  setToolTip(tr("<p>Drag a dot to move its band; the wheel over it sets its width (Q), a double "
                "click puts it back. Behind the curve: the sound before (line) and after (filled)."
                "</p>"));
  if (!step()->type->handles.empty() && step()->type->handles[0].page > 0) page_ = step()->type->handles[0].page;
  ResponsePicture::refresh();
}

void ResponsePicture::refresh() {
  if (const auto* l = workspace_.levels(); l && !workspace_.player().playing() && !l->spectrum_in.empty()) {
    shown_in_ = l->spectrum_in;
    shown_out_ = l->spectrum_out;
  }
  update();
}

void ResponsePicture::live(std::span<const float>, std::span<const float> in, std::span<const float> out) {
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

double ResponsePicture::x_of(double hz) const {
  const QRectF r = plot_rect();
  return r.left() + r.width() * std::log(std::clamp(hz, lowest_hz, highest_hz) / lowest_hz) / std::log(highest_hz / lowest_hz);
}
double ResponsePicture::hz_at(double x) const {
  const QRectF r = plot_rect();
  return lowest_hz * std::pow(highest_hz / lowest_hz, std::clamp((x - r.left()) / r.width(), 0.0, 1.0));
}
double ResponsePicture::span_db() const {
  // Bands that lift need room above; cuts only fall.
  for (const auto& h : step()->type->handles)
    if (h.y >= 0) return 18;
  return 36;
}
double ResponsePicture::y_of(double db) const {
  const QRectF r = plot_rect();
  const double top = span_db() > 20 ? 6 : 20;
  return r.top() + r.height() * (top - db) / (top + std::max(20.0, span_db()));
}

QPointF ResponsePicture::handle_at(size_t i) const {
  const ChainStep* s = step();
  const Handle& h = s->type->handles[i];
  const double hz = h.x < 0 ? h.hz : s->settings[static_cast<size_t>(h.x)];
  const double x = x_of(hz);
  if (h.y >= 0) return {x, y_of(s->settings[static_cast<size_t>(h.y)])};
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

void ResponsePicture::draw_grid(QPainter& p) const {
  const Theme& t = theme();
  const QRectF r = plot_rect();
  for (const double hz : {50.0, 100.0, 200.0, 500.0, 1000.0, 2000.0, 5000.0, 10000.0}) {
    const double x = x_of(hz);
    p.setPen(QPen(faded(t.line, 0.6), 1));
    p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
    p.setPen(t.quiet);
    p.drawText(QRectF(x - 20, r.bottom() + 2, 40, 14), Qt::AlignCenter,
               hz < 1000 ? QString::number(hz) : QString("%1k").arg(hz / 1000));
  }
  const int step_db = span_db() > 20 ? 12 : 6;
  for (int db = -36; db <= 18; db += step_db) {
    const double y = y_of(db);
    if (y < r.top() || y > r.bottom()) continue;
    p.setPen(QPen(faded(t.line, db == 0 ? 1 : 0.6), 1));
    p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
    p.setPen(t.quiet);
    p.drawText(QRectF(0, y - 7, r.left() - 5, 14), Qt::AlignRight | Qt::AlignVCenter, QString::number(db));
  }
}

void ResponsePicture::draw_spectrum(QPainter& p, std::span<const float> power, const QColor& color, bool fill) const {
  if (power.empty()) return;
  const QRectF r = plot_rect();
  const double bin_hz = workspace_.reel().rate / SpectrumMeter::size;
  QPolygonF line;
  // A point every two pixels: the mean over the bins it covers, tilted by 3 dB an octave as ears do.
  for (double x = r.left(); x <= r.right(); x += 2) {
    const double from = hz_at(x - 1.5) / bin_hz, to = hz_at(x + 1.5) / bin_hz;
    if (to >= static_cast<double>(power.size())) break;
    const double db = power_to_db(mean_power(power, from, to)) + 3 * std::log2(hz_at(x) / 1000);
    line << QPointF(x, r.top() + r.height() * std::clamp((-10 - db) / 100, 0.0, 1.0));
  }
  if (fill) {
    QPolygonF body = line;
    body << QPointF(line.last().x(), r.bottom()) << r.bottomLeft();
    p.setPen(Qt::NoPen);
    p.setBrush(faded(color, 0.22));
    p.drawPolygon(body);
    return;
  }
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(faded(color, 0.8), 1));
  p.drawPolyline(line);
}

void ResponsePicture::draw_curve(QPainter& p) const {
  const ChainStep* s = step();
  const QRectF r = plot_rect();
  QPolygonF curve;
  for (double x = r.left(); x <= r.right(); x += 1.5)
    curve << QPointF(x, y_of(s->type->response_db(s->settings, hz_at(x), workspace_.reel().rate)));
  p.setPen(QPen(s->on ? theme().after : theme().quiet, 2));
  p.setBrush(Qt::NoBrush);
  p.drawPolyline(curve);
}

void ResponsePicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  draw_grid(p);
  p.setClipRect(plot_rect());
  const Theme& t = theme();
  draw_spectrum(p, shown_out_, t.after, true);
  draw_spectrum(p, shown_in_, t.before, false);
  draw_curve(p);
  p.setClipping(false);
  const auto& handles = step()->type->handles;
  for (size_t i = 0; i < handles.size(); ++i) {
    const QPointF at = handle_at(i);
    const bool active = handles[i].page == page_ && page_ > 0;
    const bool held = held_ == static_cast<int>(i);
    const bool idle = handles[i].y >= 0 && step()->settings[static_cast<size_t>(handles[i].y)] == 0;
    p.setPen(QPen(active || held ? t.attention : t.text, 1.5));
    p.setBrush(active || held ? t.attention : idle ? t.panel : t.text);
    p.drawEllipse(at, 8, 8);
    if (handles[i].page == 0) continue;
    p.setPen(active || held || !idle ? t.window : t.text);
    p.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), Qt::AlignCenter, QString::number(handles[i].page));
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
  const double db = (y_of(0) - e->position().y()) / (y_of(0) - y_of(1));
  Q_EMIT changed(h.y, std::clamp(std::abs(db) < 0.35 ? 0.0 : std::round(db * 10) / 10, py.least, py.most));
}

void ResponsePicture::move_sideways(int parameter, double x) {
  const auto& p = step()->type->parameters[static_cast<size_t>(parameter)];
  const QRectF r = plot_rect();
  double hz = hz_at(x);
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
  const double f = to_fraction(p, step()->settings[static_cast<size_t>(h.width)]) + e->angleDelta().y() / 120.0 * 0.03;
  Q_EMIT changed(h.width, from_fraction(p, f));
  e->accept();
}

}  // namespace drevan::desktop

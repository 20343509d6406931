// SPDX-License-Identifier: GPL-3.0-or-later
#include "libav_graph.h"

#include <fmt/format.h>

#include <algorithm>
#include <stdexcept>

extern "C" {
#include <libavfilter/avfilter.h>
#include <libavfilter/buffersink.h>
#include <libavfilter/buffersrc.h>
#include <libavutil/frame.h>
#include <libavutil/log.h>
}

namespace drevan::bench {

namespace {
void must(int code, const char* what) {
  if (code < 0) throw std::runtime_error(fmt::format("libavfilter: {} failed ({})", what, code));
}
}  // namespace

struct LibavGraph::Impl {
  AVFilterGraph* graph = avfilter_graph_alloc();
  AVFilterContext *in = nullptr, *out = nullptr;
  AVFrame* frame = av_frame_alloc();
  int rate = 48000;
  std::int64_t fed = 0;
  Sink sink;
  ~Impl() {
    av_frame_free(&frame);
    avfilter_graph_free(&graph);
  }
};

LibavGraph::LibavGraph(const std::string& filters, int rate, Sink sink)
    : impl_(std::make_unique<Impl>()) {
  Impl& g = *impl_;
  g.rate = rate;
  g.sink = std::move(sink);
  av_log_set_level(AV_LOG_ERROR);
  g.graph->nb_threads = 1;
  const auto source =
      fmt::format("sample_rate={}:sample_fmt=flt:channel_layout=mono:time_base=1/{}", rate, rate);
  must(avfilter_graph_create_filter(&g.in, avfilter_get_by_name("abuffer"), "in", source.c_str(),
                                    nullptr, g.graph),
       "source");
  must(avfilter_graph_create_filter(&g.out, avfilter_get_by_name("abuffersink"), "out", nullptr,
                                    nullptr, g.graph),
       "sink");
  AVFilterInOut* outputs = avfilter_inout_alloc();
  AVFilterInOut* inputs = avfilter_inout_alloc();
  *outputs = {av_strdup("in"), g.in, 0, nullptr};
  *inputs = {av_strdup("out"), g.out, 0, nullptr};
  const auto text = filters + ",aformat=sample_fmts=flt:channel_layouts=mono";
  const int parsed = avfilter_graph_parse_ptr(g.graph, text.c_str(), &inputs, &outputs, nullptr);
  avfilter_inout_free(&inputs);
  avfilter_inout_free(&outputs);
  must(parsed, "parsing");
  must(avfilter_graph_config(g.graph, nullptr), "configuring");
}

LibavGraph::~LibavGraph() = default;

void LibavGraph::feed(std::span<const float> in) {
  Impl& g = *impl_;
  AVFrame* f = g.frame;
  f->format = AV_SAMPLE_FMT_FLT;
  f->sample_rate = g.rate;
  f->ch_layout = AV_CHANNEL_LAYOUT_MONO;
  f->nb_samples = static_cast<int>(in.size());
  f->pts = g.fed;
  must(av_frame_get_buffer(f, 0), "a buffer");
  std::ranges::copy(in, reinterpret_cast<float*>(f->data[0]));
  g.fed += f->nb_samples;
  must(av_buffersrc_add_frame(g.in, f), "feeding");
  drain();
}

void LibavGraph::finish() {
  must(av_buffersrc_add_frame(impl_->in, nullptr), "ending");
  drain();
}

void LibavGraph::command(const std::string& filter, const std::string& name,
                         const std::string& value) {
  must(avfilter_graph_send_command(impl_->graph, filter.c_str(), name.c_str(), value.c_str(),
                                   nullptr, 0, 0),
       "a command");
}

void LibavGraph::drain() {
  AVFrame* f = impl_->frame;
  while (av_buffersink_get_frame(impl_->out, f) >= 0) {
    impl_->sink({reinterpret_cast<const float*>(f->data[0]), static_cast<size_t>(f->nb_samples)});
    av_frame_unref(f);
  }
}

}  // namespace drevan::bench

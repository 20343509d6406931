// SPDX-License-Identifier: GPL-3.0-or-later
// Makes files that are broken, lying, nested, huge or odd, below a folder: what came from elsewhere may be any of
// them. Deterministic. Used by the test beside this and as seeds for the fuzzers.
#include "hostile/make_hostile.h"

#include <array>
#include <cmath>
#include <fstream>
#include <functional>

#include "support/sounds.h"

namespace drevan::test {

namespace fs = std::filesystem;

namespace {

void put(const fs::path& file, std::string_view content) {
  fs::create_directories(file.parent_path());
  std::ofstream(file, std::ios::binary | std::ios::trunc)
      .write(content.data(), static_cast<std::streamsize>(content.size()));
}

std::string le(std::uint64_t value, int bytes) {
  std::string out;
  for (int i = 0; i < bytes; ++i) out += static_cast<char>(value >> (8 * i));
  return out;
}

struct Wav {
  int format = 1, channels = 1, bits = 16, align = -1;
  std::uint32_t rate = 48000, riff = 0, data = 0;  // 0: the right sizes
  std::string sound = std::string(9600, '\1'), before{}, after{};
};

std::string wav(const Wav& w) {
  const int align = w.align >= 0 ? w.align : w.channels * w.bits / 8;
  const std::string fmt = "fmt " + le(16, 4) + le(static_cast<std::uint64_t>(w.format), 2) +
                          le(static_cast<std::uint64_t>(w.channels), 2) + le(w.rate, 4) +
                          le(std::uint64_t{w.rate} * static_cast<unsigned>(align), 4) +
                          le(static_cast<std::uint64_t>(align), 2) +
                          le(static_cast<std::uint64_t>(w.bits), 2);
  const std::string body = "WAVE" + w.before + fmt + "data" +
                           le(w.data != 0 ? w.data : w.sound.size(), 4) + w.sound + w.after;
  return "RIFF" + le(w.riff != 0 ? w.riff : body.size(), 4) + body;
}

std::string repeated(std::string_view part, int times) {
  std::string out;
  for (int i = 0; i < times; ++i) out += part;
  return out;
}

// A half of a file, it with every seventh kilobyte gone, with noise in it, and with single bytes turned.
void damaged(const fs::path& good, const fs::path& folder) {
  std::ifstream file(good, std::ios::binary);
  std::string all((std::istreambuf_iterator<char>(file)), {});
  const auto ending = good.extension().string();
  put(folder / ("half" + ending), all.substr(0, all.size() / 2));
  std::string holes, noise = all, turned = all;
  for (size_t at = 0; at < all.size(); at += 1024)
    if (at / 1024 % 7 != 3) holes += all.substr(at, 1024);
  for (size_t at = 4096; at < noise.size(); at += 7)
    noise[at] = static_cast<char>(noise[at] ^ static_cast<char>(at * 31));
  for (size_t at = 600; at < turned.size(); at += 997) turned[at] = static_cast<char>(~turned[at]);
  put(folder / ("holes" + ending), holes);
  put(folder / ("noise" + ending), noise);
  put(folder / ("flipped" + ending), turned);
}

void sounds(const fs::path& folder) {
  const auto in = [&](const char* name) { return folder / name; };
  put(in("good.wav"), wav({}));
  put(in("empty.wav"), "");
  put(in("text.wav"), "This is a letter, not a sound.\n");
  put(in("zeros.wav"), std::string(100000, '\0'));
  put(in("only-head.wav"), "RIFF");
  put(in("no-data.wav"), wav({}).substr(0, 36));
  put(in("no-frames.wav"), wav({.sound = ""}));
  put(in("half-a-frame.wav"), wav({.channels = 2, .sound = "abc"}));
  put(in("cut.wav"), wav({.data = 4000000}));
  put(in("says-4-gb.wav"), wav({.riff = 0xfffffff0, .data = 0xfffffff0}));
  put(in("stream-sizes.wav"), wav({.riff = 0xffffffff, .data = 0xffffffff}));
  put(in("no-channels.wav"), wav({.channels = 0, .align = 2}));
  put(in("many-channels.wav"), wav({.channels = 65535, .align = 2}));
  put(in("channels-17.wav"), wav({.channels = 17}));
  put(in("no-rate.wav"), wav({.rate = 0}));
  put(in("rate-1.wav"), wav({.rate = 1}));
  put(in("rate-4-ghz.wav"), wav({.rate = 0xffffffff}));
  put(in("bits-0.wav"), wav({.bits = 0, .align = 0}));
  put(in("bits-7.wav"), wav({.bits = 7, .align = 1}));
  put(in("bits-64.wav"), wav({.bits = 64}));
  put(in("unknown-codec.wav"), wav({.format = 0x7777}));
  put(in("align-0.wav"), wav({.align = 0}));
  put(in("align-lies.wav"), wav({.align = 999}));
  put(in("chunk-past-end.wav"), wav({.before = "JUNK" + le(0x7fffffff, 4)}));
  put(in("endless-chunks.wav"), wav({.before = repeated("JUNK" + le(0, 4), 20000)}));
  put(in("odd-chunk.wav"), wav({.before = "LIST" + le(3, 4) + "abc"}));
  put(in("two-data.wav"), wav({.after = "data" + le(4, 4) + "abcd"}));
  put(in("rf64-no-ds64.wav"), "RF64" + le(0xffffffff, 4) + wav({.data = 0xffffffff}).substr(8));
  put(in("rf64-lies.wav"), "RF64" + le(0xffffffff, 4) + "WAVEds64" + le(28, 4) + le(~0ULL, 8) +
                               le(~0ULL, 8) + le(~0ULL, 8) + le(0, 4) +
                               wav({.data = 0xffffffff}).substr(12));
  std::string notanumber;
  for (int i = 0; i < 2400; ++i)
    notanumber += le(i % 3 == 0 ? 0x7fc00000 : i % 3 == 1 ? 0x7f800000 : 0xff800000, 4);
  put(in("nan.wav"), wav({.format = 3, .bits = 32, .sound = notanumber}));
  put(in("huge-floats.wav"),
      wav({.format = 3, .bits = 32, .sound = repeated(le(0x7f7fffff, 4), 2400)}));
  put(in("denormals.wav"), wav({.format = 3, .bits = 32, .sound = repeated(le(1, 4), 48000)}));
  put(in("silence.wav"), wav({.sound = std::string(96000, '\0')}));
  put(in("one-sample.wav"), wav({.sound = "ab"}));
  put(in("wrong-ending.flac"), wav({}));
  put(in("flac-head.flac"), "fLaC" + std::string("\x80\0\0\x22", 4) + std::string(34, '\xff'));
  put(in("ogg-head.ogg"), "OggS" + std::string(200, '\0'));
  put(in("mp3-noise.mp3"), repeated("\xff\xfb\x90\x64", 5000));
  put(in("aac-noise.aac"),
      repeated(std::string("\xff\xf1\x50\x80\x02\x1f\xfc", 7) + "xyzxyzxyz", 2000));
  put(in("mp4-box-lies.mp4"),
      le(0, 3) + "\x18" + "ftypisom" + std::string(12, '\0') + "\xff\xff\xff\xff" + "moov");
  put(in("mkv-head.mkv"), std::string("\x1a\x45\xdf\xa3\xff\xff\xff\xff\xff\xff\xff\xff", 12));
  put(in("avi-head.avi"), "RIFF" + le(100, 4) + "AVI LIST" + le(0xffffffff, 4) + "hdrl");
  put(in("list.m3u8"), "#EXTM3U\n#EXTINF:1,\n/etc/passwd\n");
  put(in("concat.ffconcat"), "ffconcat version 1.0\nfile /etc/passwd\n");
  put(in("script.sdp"), "v=0\no=- 0 0 IN IP4 127.0.0.1\nm=audio 9 RTP/AVP 0\n");
  put(in("esc\x1b[2J.wav"), wav({}));
  put(in("gr\xfc\xdf.wav"), wav({}));
  put(in("=2+3.wav"), wav({}));
  put(in("-dash.wav"), wav({}));
  put(in("new\nline.wav"), wav({}));
  put(folder / (repeated("☃", 80) + ".wav"), wav({}));
  fs::create_directories(in("folder.wav"));
  fs::create_symlink("circle.wav", in("circle.wav"));
  fs::create_symlink("nowhere.wav", in("broken-link.wav"));
  // Real streams with holes: every seventh kilobyte gone, or noise.
  if (run("cd '" + folder.string() +
          "' && ffmpeg -v error -y -f lavfi -i sine=f=300:d=5 -f lavfi -i testsrc=d=5:s=64x48 -c:a "
          "aac -c:v mpeg4 a.mp4 && ffmpeg -v error -y -i a.mp4 -c copy a.mkv && ffmpeg -v error -y "
          "-i a.mp4 -c copy a.ts && "
          "ffmpeg -v error -y -i a.mp4 -vn -c:a libmp3lame a.mp3 && ffmpeg -v error -y -i a.mp4 "
          "-vn -c:a flac a.flac && ffmpeg -v error -y -i a.mp4 -vn -c:a libvorbis a.ogg && ffmpeg "
          "-v error -y -i a.mp4 -vn -c:a libopus a.opus")
          .code != 0)
    return;
  for (const char* ending : {"mp4", "mkv", "ts", "mp3", "flac", "ogg", "opus"})
    damaged(folder / (std::string("a.") + ending), folder);
  // Stamps that jump: by 40 hours, there and back, at every packet. A stream that comes late in a transport stream.
  run("cd '" + folder.string() +
      "' && for e in mkv ts; do ffmpeg -v error -y -i a.mkv -map 0:a -c copy -bsf:a "
      "\"setts=ts=PTS+gte(PTS*TB\\,2)*144000/TB\" jump.$e; "
      "ffmpeg -v error -y -i a.mkv -map 0:a -c copy -bsf:a "
      "\"setts=ts=PTS+between(PTS*TB\\,2\\,3)*3000/TB\" there-and-back.$e; "
      "ffmpeg -v error -y -i a.mkv -map 0:a -c copy -bsf:a \"setts=ts=N*2000/TB\" jumps.$e; done; "
      "ffmpeg -v error -y -i a.ts -map 0:v -c copy v.ts; cat v.ts a.ts > late-stream.ts; cat a.ts "
      "v.ts a.ts > streams-change.ts");
}

// SOFA files are HDF5 inside: the one that comes with libmysofa, damaged.
void responses(const fs::path& folder) {
  damaged("/usr/share/libmysofa/default.sofa", folder);
  put(folder / "text.sofa", "This is a letter, not a response.\n");
  put(folder / "only-head.sofa", "\x89HDF\r\n\x1a\n");
  put(folder / "empty.sofa", "");
}

std::string reel(std::string_view sources, std::string_view groups, std::string_view clips,
                 std::string_view more = "") {
  return "{\"drevan_reel\":1,\"name\":\"x\",\"rate_hz\":48000,\"sources\":[" +
         std::string(sources) + "],\"groups\":[" + std::string(groups) + "],\"clips\":[" +
         std::string(clips) + "],\"chain\":[]" + std::string(more) + "}";
}

void reels(const fs::path& folder) {
  put(folder / "good.wav", wav({}));
  const std::string
      source = R"({"path":"good.wav","frames":4800,"rate_hz":48000,"channels":1,"hash":"0"})",
      group = R"({"name":"A","chain":[]})";
  const auto clip = [](std::string_view what) {
    return R"({"id":1,"name":"c","source":0,"begin":0,"frames":4800,"group":0,"place_s":0,"chain":[])" +
           std::string(what) + "}";
  };
  const auto in = [&](const char* name) { return folder / (std::string(name) + ".reel"); };
  put(in("good"), reel(source, group, clip("")));
  put(in("empty"), "");
  put(in("nothing"), "{}");
  put(in("null"), "null");
  put(in("list"), "[]");
  put(in("deep-list"), std::string(200000, '['));
  put(in("deep-object"), repeated("{\"a\":", 200000));
  put(in("deep-in-value"), reel(source, group, clip(",\"version\":" + std::string(200000, '['))));
  put(in("deep-chain"), reel(source, group, clip(""),
                             ",\"target\":" + std::string(200000, '[') + std::string(200000, ']')));
  put(in("newer"), "{\"drevan_reel\":2000000000000}");
  put(in("version-text"), "{\"drevan_reel\":\"1\"}");
  put(in("no-utf8"), reel(source, "{\"name\":\"\xff\xfe\",\"chain\":[]}", clip("")));
  put(in("half"), reel(source, group, clip("")).substr(0, 120));
  put(in("unknown-member"), reel(source, group, clip(",\"colour\":1")));
  for (const char* place : {"1e300", "-100", "1e12", "1e999", "\"x\""})
    put(folder / ("place" + std::to_string(std::hash<std::string_view>{}(place) % 1000) + ".reel"),
        reel(source, group,
             R"({"id":1,"name":"c","source":0,"frames":4800,"group":0,"place_s":)" +
                 std::string(place) + "}"));
  put(in("source-out-of-range"),
      reel(source, group, R"({"id":1,"name":"c","source":7,"group":0})"));
  put(in("source-wraps"),
      reel(source, group, R"({"id":1,"name":"c","source":4294967296,"group":0})"));
  put(in("frames-wrap"),
      reel(
          source, group,
          R"({"id":1,"name":"c","source":0,"begin":9223372036854775807,"frames":9223372036854775807,"group":0})"));
  for (const char* number :
       {"2147483647", "2147483648", "9223372036854775807", "18446744073709551615", "-2147483648"}) {
    const auto one = [&](const char* member) { return in((std::string(member) + number).c_str()); };
    put(one("line"), reel(source, group, clip(",\"line\":" + std::string(number))));
    put(one("made_into"), reel(source, group, clip(",\"made_into\":" + std::string(number))));
    put(one("id"), reel(source, group,
                        "{\"id\":" + std::string(number) + R"(,"name":"c","source":0,"group":0})"));
    for (const char* last : {"last_clip_id", "last_step_id", "last_space_id", "last_event_id"})
      put(one(last), reel(source, group, clip(""), ",\"" + std::string(last) + "\":" + number));
    put(one("frames"), reel(R"({"path":"good.wav","frames":)" + std::string(number) +
                                R"(,"rate_hz":48000,"channels":1,"hash":"0"})",
                            group, clip("")));
    put(one("begin"),
        reel(source, group,
             R"({"id":1,"name":"c","source":0,"group":0,"begin":)" + std::string(number) + "}"));
  }
  put(in("frames-fraction"),
      reel(source, group, R"({"id":1,"name":"c","source":0,"begin":0.5,"group":0})"));
  put(in("frames-lie"),
      reel(R"({"path":"good.wav","frames":4800000000,"rate_hz":48000,"channels":1,"hash":"0"})",
           group, R"({"id":1,"name":"c","source":0,"group":0})"));
  put(in("begins-past-end"),
      reel(R"({"path":"good.wav","frames":480000,"rate_hz":48000,"channels":1,"hash":"0"})", group,
           R"({"id":1,"name":"c","source":0,"begin":100000,"group":0})"));
  put(in("missing-source"),
      reel(R"({"path":"gone.wav","frames":4800,"rate_hz":48000,"channels":1,"hash":"0"})", group,
           clip("")));
  put(in("source-is-folder"),
      reel(R"({"path":".","frames":4800,"rate_hz":48000,"channels":1,"hash":"0"})", group,
           clip("")));
  put(in("source-is-null"),
      reel(R"({"path":"a\u0000b","frames":4800,"rate_hz":48000,"channels":1,"hash":"0"})", group,
           clip("")));
  put(in("two-ids"), reel(source, group, clip("") + "," + clip("")));
  put(in("id-0"), reel(source, group, R"({"id":0,"name":"c","source":0,"group":0})"));
  put(in("version-ring"),
      reel(
          source, group,
          clip(R"(,"version":1,"versions":[{"id":0,"source":0},{"id":1,"parent":1,"source":0}])")));
  put(in("room-tone-outside"), reel(source, group, clip(R"(,"room_tone_s":[1000,2000])")));
  std::string nested;
  for (int i = 0; i < 28; ++i)
    nested += std::string(i > 0 ? "," : "") + R"({"step":"normalise","settings":{"over":"group"}})";
  std::string many;
  for (int i = 1; i <= 10; ++i)
    many += std::string(i > 1 ? "," : "") + R"({"id":)" + std::to_string(i) +
            R"(,"name":"c","source":0,"group":0,"place_s":0})";
  put(in("nested-group-steps"), reel(source, R"({"name":"A","chain":[)" + nested + "]}", many));
  std::string steps;
  for (int i = 0; i < 300; ++i) steps += std::string(i > 0 ? "," : "") + R"({"step":"gain"})";
  put(in("three-hundred-steps"), reel(source, R"({"name":"A","chain":[)" + steps + "]}", clip("")));
  put(in("long-name"),
      reel(source, group,
           R"({"id":1,"name":")" + repeated("☃", 5000) + R"(","source":0,"group":0})"));
  put(in("steering-name"),
      reel(source, group, R"({"id":1,"name":"\u001b[31m=1+1\r\n../../x","source":0,"group":0})"));
}

void recipes(const fs::path& folder) {
  const auto in = [&](const char* name) { return folder / (std::string(name) + ".recipe"); };
  const auto steps = [](std::string_view s) {
    return "{\"drevan_recipe\":1,\"name\":\"x\",\"steps\":[" + std::string(s) + "]}";
  };
  put(in("good"), steps(R"({"step":"gain","settings":{"gain_db":-3}})"));
  put(in("deep"), std::string(200000, '['));
  put(in("deep-setting"), steps(R"({"step":"gain","settings":{"gain_db":)" +
                                std::string(200000, '[') + std::string(200000, ']') + "}}"));
  put(in("deep-tags"), "{\"drevan_recipe\":1,\"steps\":[],\"tags\":[" +
                           repeated("{\"a\":", 200000) + "1" + std::string(200000, '}') + "]}");
  put(in("number-too-large"), steps(R"({"step":"gain","settings":{"gain_db":1e999}})"));
  put(in("number-without-end"),
      steps(R"({"step":"gain","settings":{"gain_db":)" + std::string(100000, '9') + "}}"));
  put(in("out-of-range"), steps(R"({"step":"gain","settings":{"gain_db":1000}})"));
  put(in("unknown-step"), steps(R"({"step":")" + std::string(100000, 'x') + "\"}"));
  put(in("not-utf8"), steps("{\"step\":\"\xff\"}"));
  put(in("choice-fraction"), steps(R"({"step":"normalise","settings":{"measure":0.5}})"));
  put(in("null-step"), steps("null"));
  put(in("twice"), "{\"drevan_recipe\":1,\"drevan_recipe\":1,\"steps\":[],\"steps\":3}");
  put(in("ten-thousand-steps"),
      steps(R"({"step":"gain"})" + repeated(R"(,{"step":"gain"})", 9999)));
  put(in("bom"), "\xef\xbb\xbf" + steps(""));
}

}  // namespace

Hostile make_hostile(const fs::path& folder) {
  sounds(folder / "sounds");
  reels(folder / "reels");
  recipes(folder / "recipes");
  responses(folder / "responses");
  Hostile out;
  for (const auto& [name, into] :
       {std::pair<const char*, std::vector<fs::path>*>{"sounds", &out.sounds},
        {"reels", &out.reels},
        {"recipes", &out.recipes},
        {"responses", &out.responses}}) {
    for (const auto& entry : fs::directory_iterator(folder / name)) into->push_back(entry.path());
    std::ranges::sort(*into);
  }
  return out;
}

}  // namespace drevan::test

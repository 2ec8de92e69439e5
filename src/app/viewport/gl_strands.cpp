#include "app/viewport/gl_strands.h"

#include "app/viewport/to_qt.h"

#include <algorithm>

namespace thicket::app {
namespace {

// The curves are those of switching/thinning: the share that is kept, how wide the kept ones grow, and the smooth step
// by which those beyond the share lose their width.
const char* kStrandVertex = R"(#version 330 core
uniform samplerBuffer uPoints, uMiddles;
uniform usamplerBuffer uFirst, uSlots, uListed;
uniform int uBase; uniform bool uHasList;
uniform mat4 uViewProjection; uniform vec3 uEye, uDecided;
uniform float uPixels; // of a metre at one metre
uniform float uCount, uKeepFactor, uGrowAtMost, uBand, uVary; uniform bool uThins, uHolds;
uniform int uKeepPoints, uGrowPoints; uniform vec2 uKeep[12]; uniform vec2 uGrow[12];
uniform vec3 uRoot, uTip;
out vec3 vColor; out vec3 vTangent; out vec3 vPlace; out float vOpacity; flat out float vPhase;
float along(float d, int count, vec2 curve[12]) {
  if (count == 0) return 1.0;
  if (d <= curve[0].x) return curve[0].y;
  for (int i = 1; i < count; ++i)
    if (d < curve[i].x) return mix(curve[i-1].y, curve[i].y, (d - curve[i-1].x) / (curve[i].x - curve[i-1].x));
  return curve[count - 1].y;
}
float stepArea(float t) { return t * t * t * (1.0 - 0.5 * t); }
uint hash(uint v) { v ^= v >> 16; v *= 0x7feb352du; v ^= v >> 15; v *= 0x846ca68bu; v ^= v >> 16; return v; }
void main() {
  uint slot = uHasList ? texelFetch(uListed, uBase + gl_InstanceID).r : uint(uBase + gl_InstanceID);
  int strand = int(texelFetch(uSlots, int(slot)).r);
  int first = int(texelFetch(uFirst, strand).r);
  int count = int(texelFetch(uFirst, strand + 1).r) - first;
  int i = min(gl_VertexID >> 1, count - 1);
  vec4 here = texelFetch(uPoints, first + i);
  vec3 tangent = texelFetch(uPoints, first + min(i + 1, count - 1)).xyz - texelFetch(uPoints, first + max(i - 1, 0)).xyz;
  float wide = here.w;
  if (uThins) {
    float d = distance(texelFetch(uMiddles, int(slot)).xyz, uDecided);
    float keep = along(d, uKeepPoints, uKeep);
    float rank = (float(strand) + 0.5) / uCount;
    float band = keep * uBand;
    float size = rank < keep ? 1.0 : band > 0.0 ? smoothstep(0.0, 1.0, (keep + band - rank) / band) : 0.0;
    float grow;
    if (uHolds) {
      float lacking = band > 0.0 ? clamp((keep + band - 1.0) / band, 0.0, 1.0) : 0.0;
      float cover = min(keep, 1.0) + band * (0.5 - stepArea(lacking));
      grow = cover * uGrowAtMost <= 1.0 ? uGrowAtMost : 1.0 / cover;
    } else grow = along(d, uGrowPoints, uGrow);
    wide *= size * grow / uKeepFactor;
  }
  vec3 toEye = uEye - here.xyz;
  float away = length(toEye);
  float pixels = wide * uPixels / away;
  vOpacity = min(pixels, 1.0);
  if (pixels < 1.0) wide = away / uPixels;
  vec3 across = cross(tangent, toEye);
  across *= inversesqrt(max(dot(across, across), 1e-20));
  vPlace = here.xyz + across * (wide * (float(gl_VertexID & 1) - 0.5));
  vTangent = tangent;
  uint h = hash(uint(strand));
  float light = 1.0 + uVary * (2.0 * float(h) / 4294967296.0 - 1.0);
  vColor = mix(uRoot, uTip, float(i) / float(max(count - 1, 1))) * light;
  vPhase = float(h & 1023u) / 1024.0;
  gl_Position = uViewProjection * vec4(vPlace, 1.0);
})";

// Below a pixel the opacity falls: a share of the pixels is drawn, another one for each strand, so that strands over
// each other cover as many layers do.
const char* kStrandFragment = R"(#version 330 core
in vec3 vColor; in vec3 vTangent; in vec3 vPlace; in float vOpacity; flat in float vPhase;
uniform vec3 uEye; uniform float uHaze; uniform vec3 uHazeColor; uniform vec4 uTint; uniform float uFade;
out vec4 color;
const float bayer[16] = float[](0.,8.,2.,10.,12.,4.,14.,6.,3.,11.,1.,9.,15.,7.,13.,5.);
void main() {
  if (uFade < 1.0) {
    float cell = (bayer[int(mod(gl_FragCoord.y,4.))*4 + int(mod(gl_FragCoord.x,4.))] + 0.5) / 16.0;
    if (uFade >= 0.0 ? cell > uFade : cell <= -uFade) discard;
  }
  if (vOpacity < 1.0) {
    float noise = fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))) + vPhase);
    if (noise >= vOpacity) discard;
  }
  vec3 sun = normalize(vec3(0.45, 0.8, 0.35));
  vec3 t = normalize(vTangent);
  float ts = dot(t, sun);
  float light = 0.42 + 0.75 * sqrt(max(1.0 - ts * ts, 0.0));
  vec3 base = mix(vColor, uTint.rgb * 0.72, uTint.a);
  vec3 lit = sqrt(base * light);
  if (uHaze > 0.0) {
    float thick = length(uEye - vPlace) * uHaze;
    lit = mix(uHazeColor, lit, 1.0 / (1.0 + thick * thick));
  }
  color = vec4(lit, 1.0);
})";

constexpr int kPointsUnit = 1;
constexpr int kMiddlesUnit = 2;
constexpr int kFirstUnit = 3;
constexpr int kSlotsUnit = 4;
constexpr int kListedUnit = 5;
constexpr int kLong = 600; // frames that a level's points are kept without being drawn

} // namespace

bool GlStrands::initialize() {
    if (!initializeOpenGLFunctions() || !m_program.addShaderFromSourceCode(QOpenGLShader::Vertex, kStrandVertex) ||
        !m_program.addShaderFromSourceCode(QOpenGLShader::Fragment, kStrandFragment) || !m_program.link())
        return false;
    m_program.bind();
    m_program.setUniformValue("uPoints", kPointsUnit);
    m_program.setUniformValue("uMiddles", kMiddlesUnit);
    m_program.setUniformValue("uFirst", kFirstUnit);
    m_program.setUniformValue("uSlots", kSlotsUnit);
    m_program.setUniformValue("uListed", kListedUnit);
    m_program.release();
    glGenVertexArrays(1, &m_vao);
    const std::uint32_t none = 0;
    m_listed = make(&none, sizeof none, GL_R32UI);
    return true;
}

GlStrands::Buffer GlStrands::make(const void* data, std::size_t bytes, GLenum format) {
    Buffer out;
    glGenBuffers(1, &out.buffer);
    glBindBuffer(GL_TEXTURE_BUFFER, out.buffer);
    glBufferData(GL_TEXTURE_BUFFER, static_cast<GLsizeiptr>(bytes), data, GL_STATIC_DRAW);
    glGenTextures(1, &out.texture);
    glBindTexture(GL_TEXTURE_BUFFER, out.texture);
    glTexBuffer(GL_TEXTURE_BUFFER, format, out.buffer);
    return out;
}

void GlStrands::drop(const Buffer& buffer) {
    glDeleteTextures(1, &buffer.texture);
    glDeleteBuffers(1, &buffer.buffer);
}

void GlStrands::release() {
    for (auto& [key, level] : m_levels) {
        drop(level.points);
        drop(level.first);
    }
    for (auto& [key, places] : m_places) {
        drop(places.order);
        drop(places.middles);
    }
    m_levels.clear();
    m_places.clear();
    drop(m_listed);
    glDeleteVertexArrays(1, &m_vao);
}

void GlStrands::forget() {
    // A level that was given another deviation leaves its points behind, though its strands are still there.
    for (auto& [key, level] : m_levels)
        ++level.frames;
    std::erase_if(m_levels, [this](const auto& entry) {
        if (!entry.second.owner.expired() && entry.second.frames < kLong)
            return false;
        drop(entry.second.points);
        drop(entry.second.first);
        return true;
    });
    std::erase_if(m_places, [this](auto& entry) {
        if (!entry.second.owner.expired())
            return false;
        drop(entry.second.order);
        drop(entry.second.middles);
        return true;
    });
}

GlStrands::Level& GlStrands::levelOf(const StrandDraw& what) {
    Level& level = m_levels[{what.set.get(), what.deviation}];
    level.frames = 0;
    if (level.points.buffer != 0 && !level.owner.expired())
        return level;
    if (level.points.buffer != 0) {
        drop(level.points);
        drop(level.first);
    }
    level.owner = what.set;
    level.most = 2;
    const StrandSet& set = *what.set;
    std::vector<float> points;
    std::vector<std::uint32_t> first{0};
    first.reserve(set.first.size());
    for (std::size_t s = 0; s < set.size(); ++s) {
        eachKept(set, *what.worth, s, static_cast<float>(what.deviation), [&](std::uint32_t i) {
            points.insert(points.end(), {set.points[i].x(), set.points[i].y(), set.points[i].z(), set.widths[i]});
        });
        first.push_back(static_cast<std::uint32_t>(points.size() / 4));
        level.most = std::max(level.most, first[s + 1] - first[s]);
    }
    level.points = make(points.data(), points.size() * sizeof(float), GL_RGBA32F);
    level.first = make(first.data(), first.size() * sizeof(std::uint32_t), GL_R32UI);
    return level;
}

GlStrands::Places& GlStrands::placesOf(const StrandDraw& what, const std::shared_ptr<const CellTable>& cells) {
    Places& places = m_places[cells.get()];
    if (places.order.buffer != 0 && !places.owner.expired())
        return places;
    if (places.order.buffer != 0) {
        drop(places.order);
        drop(places.middles);
    }
    places.owner = cells;
    std::vector<float> middles;
    middles.reserve(4 * cells->size());
    for (std::uint32_t slot = 0; slot < cells->size(); ++slot) {
        const Vec3f at = (cells->at(slot).position - what.set->origin).cast<float>();
        middles.insert(middles.end(), {at.x(), at.y(), at.z(), 0});
    }
    places.order = make(cells->placementOf.data(), cells->placementOf.size() * sizeof(std::uint32_t), GL_R32UI);
    places.middles = make(middles.data(), middles.size() * sizeof(float), GL_RGBA32F);
    return places;
}

void GlStrands::draw(const StrandDraw& what, const std::shared_ptr<const CellTable>& cells, std::uint32_t first,
                     std::uint32_t count, const std::vector<std::uint32_t>& listed, const How& how) {
    const Level& level = levelOf(what);
    const Places& places = placesOf(what, cells);
    if (!listed.empty()) {
        glBindBuffer(GL_TEXTURE_BUFFER, m_listed.buffer);
        glBufferData(GL_TEXTURE_BUFFER, static_cast<GLsizeiptr>(count * sizeof(std::uint32_t)), &listed[first],
                     GL_STREAM_DRAW);
    }
    const auto bind = [this](int unit, const Buffer& buffer) {
        glActiveTexture(GL_TEXTURE0 + static_cast<GLenum>(unit));
        glBindTexture(GL_TEXTURE_BUFFER, buffer.texture);
    };
    bind(kPointsUnit, level.points);
    bind(kMiddlesUnit, places.middles);
    bind(kFirstUnit, level.first);
    bind(kSlotsUnit, places.order);
    bind(kListedUnit, m_listed);
    glActiveTexture(GL_TEXTURE0);
    m_program.bind();
    QMatrix4x4 matrix = how.viewProjection;
    matrix.translate(toQt(what.set->origin));
    m_program.setUniformValue("uViewProjection", matrix);
    m_program.setUniformValue("uEye", toQt(how.eye - what.set->origin));
    m_program.setUniformValue("uDecided", toQt(what.decidedFrom - what.set->origin));
    m_program.setUniformValue("uPixels", static_cast<float>(how.lines / (2 * what.halfFieldTangent)));
    m_program.setUniformValue("uBase", listed.empty() ? static_cast<int>(first) : 0);
    m_program.setUniformValue("uHasList", !listed.empty());
    m_program.setUniformValue("uThins", what.thins);
    m_program.setUniformValue("uHolds", what.thinning.holdCover);
    m_program.setUniformValue("uCount", static_cast<float>(what.set->size()));
    m_program.setUniformValue("uKeepFactor", static_cast<float>(what.keepFactor));
    m_program.setUniformValue("uGrowAtMost", static_cast<float>(what.thinning.growAtMost));
    m_program.setUniformValue("uBand", static_cast<float>(what.thinning.band));
    m_program.setUniformValue("uVary", static_cast<float>(what.look.vary));
    const auto curve = [this](const char* points, const char* number, const DistanceCurve& of) {
        std::array<QVector2D, DistanceCurve::kMostPoints> values{};
        for (std::size_t i = 0; i < of.points.size(); ++i)
            values[i] = {static_cast<float>(of.points[i].metres), static_cast<float>(of.points[i].value)};
        m_program.setUniformValueArray(points, values.data(), static_cast<int>(values.size()));
        m_program.setUniformValue(number, static_cast<int>(of.points.size()));
    };
    curve("uKeep", "uKeepPoints", what.thinning.keep);
    curve("uGrow", "uGrowPoints", what.thinning.grow);
    m_program.setUniformValue("uRoot", QVector3D(what.look.root.x(), what.look.root.y(), what.look.root.z()));
    m_program.setUniformValue("uTip", QVector3D(what.look.tip.x(), what.look.tip.y(), what.look.tip.z()));
    m_program.setUniformValue("uHaze", how.haze);
    m_program.setUniformValue("uHazeColor", how.hazeColor);
    m_program.setUniformValue("uTint", how.tint);
    m_program.setUniformValue("uFade", how.fade);
    glBindVertexArray(m_vao);
    glDrawArraysInstanced(GL_TRIANGLE_STRIP, 0, static_cast<GLsizei>(2 * level.most), static_cast<GLsizei>(count));
}

} // namespace thicket::app

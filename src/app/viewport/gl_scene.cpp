#include "app/viewport/gl_scene.h"

#include "app/look/look.h"
#include "app/viewport/to_qt.h"

#include <QOpenGLContext>
#include <QOpenGLFunctions>
#include <algorithm>
#include <array>
#include <cmath>

namespace thicket::app {
namespace {

const char* kBackdropVertex = R"(#version 330 core
out float t;
void main() { vec2 p = vec2((gl_VertexID << 1) & 2, gl_VertexID & 2); t = p.y*0.5; gl_Position = vec4(p*2.0-1.0, 0.9999, 1.0); t = p.y; })";
const char* kBackdropFragment = R"(#version 330 core
in float t; uniform vec3 uTop, uBottom; out vec4 color;
void main() { color = vec4(mix(uBottom, uTop, clamp(t,0.,1.)), 1.0); })";

const char* kLineVertex = R"(#version 330 core
layout(location=0) in vec3 position; uniform mat4 uViewProjection; uniform vec3 uCentre; uniform float uReach; out float vFade;
void main() { vFade = 1.0 - clamp(length(position.xz - uCentre.xz)/uReach, 0.0, 1.0); gl_Position = uViewProjection * vec4(position, 1.0); })";
const char* kLineFragment = R"(#version 330 core
in float vFade; uniform vec4 uColor; out vec4 color; void main() { color = vec4(uColor.rgb, uColor.a*vFade); })";

const char* kDotVertex = R"(#version 330 core
layout(location=0) in vec3 position; layout(location=1) in vec4 tint; layout(location=2) in float pixels;
uniform mat4 uViewProjection; out vec4 vTint; flat out float vHollow;
void main() { vTint = tint; vHollow = pixels < 0.0 ? 1.0 : 0.0; gl_PointSize = abs(pixels); gl_Position = uViewProjection * vec4(position, 1.0); })";
const char* kDotFragment = R"(#version 330 core
in vec4 vTint; flat in float vHollow; out vec4 color;
void main() {
  float r = length(gl_PointCoord - vec2(0.5)) * 2.0;
  if (r > 1.0 || (vHollow > 0.5 && r < 0.55)) discard;
  color = vTint;
})";

} // namespace

bool GlScene::initialize() {
    m_decoders.setMaxThreadCount(1);
    if (!initializeOpenGLFunctions())
        return false;
    const auto build = [](QOpenGLShaderProgram& program, const char* vertex, const char* fragment) {
        return program.addShaderFromSourceCode(QOpenGLShader::Vertex, vertex) &&
               program.addShaderFromSourceCode(QOpenGLShader::Fragment, fragment) && program.link();
    };
    if (!m_surface.initialize() || !build(m_backdrop, kBackdropVertex, kBackdropFragment) ||
        !build(m_line, kLineVertex, kLineFragment) || !build(m_dot, kDotVertex, kDotFragment) ||
        !m_strands.initialize() || !m_particles.initialize())
        return false;
    glGenVertexArrays(1, &m_emptyVao);
    glGenVertexArrays(1, &m_lineVao);
    glGenBuffers(1, &m_lineBuffer);
    glGenBuffers(1, &m_listedBuffer);
    return true;
}

void GlScene::release() {
    m_decoders.waitForDone();
    for (const GLsync mark : m_marks)
        glDeleteSync(mark);
    m_marks.clear();
    for (auto& [key, mesh] : m_meshes) {
        glDeleteVertexArrays(1, &mesh.vao);
        glDeleteBuffers(4, mesh.buffers);
    }
    for (auto& [key, texture] : m_textures)
        glDeleteTextures(1, &texture.id);
    for (auto& [key, values] : m_values)
        glDeleteBuffers(1, &values.buffer);
    for (auto& [key, places] : m_places)
        glDeleteBuffers(1, &places.buffer);
    for (auto& [key, extras] : m_extras)
        glDeleteBuffers(1, &extras.buffer);
    m_extras.clear();
    m_places.clear();
    m_surface.release();
    m_strands.release();
    m_particles.release();
    glDeleteBuffers(1, &m_listedBuffer);
    m_values.clear();
    m_meshes.clear();
    m_textures.clear();
    glDeleteVertexArrays(1, &m_emptyVao);
    glDeleteVertexArrays(1, &m_lineVao);
    glDeleteBuffers(1, &m_lineBuffer);
}

void GlScene::forget() {
    m_strands.forget();
    m_particles.forget();
    std::erase_if(m_meshes, [this](auto& entry) {
        if (!entry.second.owner.expired())
            return false;
        glDeleteVertexArrays(1, &entry.second.vao);
        glDeleteBuffers(4, entry.second.buffers);
        return true;
    });
    std::erase_if(m_values, [this](auto& entry) {
        if (!entry.second.owner.expired())
            return false;
        glDeleteBuffers(1, &entry.second.buffer);
        return true;
    });
    std::erase_if(m_extras, [this](auto& entry) {
        if (!entry.second.owner.expired())
            return false;
        glDeleteBuffers(1, &entry.second.buffer);
        return true;
    });
    std::erase_if(m_places, [this](auto& entry) {
        if (!entry.second.owner.expired())
            return false;
        glDeleteBuffers(1, &entry.second.buffer);
        return true;
    });
    std::erase_if(m_textures, [this](auto& entry) {
        if (!entry.second.owner.expired())
            return false;
        glDeleteTextures(1, &entry.second.id);
        return true;
    });
}

GLuint GlScene::valueBuffer(const std::shared_ptr<const std::vector<float>>& values) {
    GpuValues& gpu = m_values[values.get()];
    if (gpu.buffer != 0 && !gpu.owner.expired())
        return gpu.buffer;
    if (gpu.buffer == 0)
        glGenBuffers(1, &gpu.buffer);
    gpu.owner = values;
    glBindBuffer(GL_ARRAY_BUFFER, gpu.buffer);
    glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(values->size() * sizeof(float)), values->data(),
                 GL_STATIC_DRAW);
    return gpu.buffer;
}

QVector3D GlScene::hazeColor() {
    const QColor& top = Look::now().viewTop;
    const QColor& bottom = Look::now().viewBottom;
    return {static_cast<float>(top.redF() + bottom.redF()) / 2, static_cast<float>(top.greenF() + bottom.greenF()) / 2,
            static_cast<float>(top.blueF() + bottom.blueF()) / 2};
}

QColor GlScene::heatColor(double share) {
    // From a cool dark to a warm light: brightness rises all the way, so it reads without hue as well.
    static const std::array<QColor, 5> kStops{QColor(0x30, 0x4a, 0x5c), QColor(0x3d, 0x7f, 0x85),
                                              QColor(0x86, 0xa8, 0x6a), QColor(0xe0, 0xb0, 0x5a),
                                              QColor(0xff, 0xe9, 0xb8)};
    const double at = std::clamp(share, 0.0, 1.0) * 4;
    const auto i = std::min<std::size_t>(static_cast<std::size_t>(at), 3);
    const auto t = static_cast<float>(at - static_cast<double>(i));
    const auto mix = [t](float a, float b) { return a + (b - a) * t; };
    return QColor::fromRgbF(mix(kStops[i].redF(), kStops[i + 1].redF()),
                            mix(kStops[i].greenF(), kStops[i + 1].greenF()),
                            mix(kStops[i].blueF(), kStops[i + 1].blueF()));
}

bool GlScene::warm(const std::shared_ptr<const Mesh>& mesh) {
    if (m_meshes.contains(mesh.get()))
        return false;
    upload(mesh);
    return true;
}

GlScene::GpuMesh& GlScene::upload(const std::shared_ptr<const Mesh>& mesh) {
    const auto found = m_meshes.find(mesh.get());
    if (found != m_meshes.end() && !found->second.owner.expired())
        return found->second;
    GpuMesh gpu;
    gpu.owner = mesh;
    glGenVertexArrays(1, &gpu.vao);
    glGenBuffers(4, gpu.buffers);
    glBindVertexArray(gpu.vao);
    const auto attribute = [&](GLuint slot, const void* data, std::size_t bytes, int components) {
        if (bytes == 0) {
            glDisableVertexAttribArray(slot);
            return;
        }
        glBindBuffer(GL_ARRAY_BUFFER, gpu.buffers[slot]);
        glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(bytes), data, GL_STATIC_DRAW);
        glEnableVertexAttribArray(slot);
        glVertexAttribPointer(slot, components, GL_FLOAT, GL_FALSE, 0, nullptr);
    };
    attribute(0, mesh->positions.data(), mesh->positions.size() * sizeof(Vec3f), 3);
    attribute(1, mesh->normals.data(), mesh->normals.size() * sizeof(Vec3f), 3);
    attribute(2, mesh->uvs.data(), mesh->uvs.size() * sizeof(Vec2f), 2);
    glBindBuffer(GL_ELEMENT_ARRAY_BUFFER, gpu.buffers[3]);
    glBufferData(GL_ELEMENT_ARRAY_BUFFER, static_cast<GLsizeiptr>(mesh->indices.size() * 4), mesh->indices.data(),
                 GL_STATIC_DRAW);
    glBindVertexArray(0);
    return m_meshes[mesh.get()] = gpu;
}

GLuint GlScene::texture(const std::shared_ptr<const Surfaces>& surfaces, int image) {
    const auto key = std::pair(surfaces.get(), image);
    auto found = m_textures.find(key);
    if (found == m_textures.end() || found->second.owner.expired()) {
        GpuTexture fresh{surfaces, 0, std::make_shared<Decoding>()};
        m_decoders.start([this, surfaces, image, decoding = fresh.decoding] {
            const auto& encoded = surfaces->images[static_cast<std::size_t>(image)].encoded;
            decoding->picture =
                QImage::fromData(reinterpret_cast<const uchar*>(encoded.data()), static_cast<int>(encoded.size()))
                    .convertToFormat(QImage::Format_RGBA8888);
            decoding->done = true;
            if (m_pictureReady)
                m_pictureReady();
        });
        found = m_textures.insert_or_assign(key, std::move(fresh)).first;
    }
    GpuTexture& gpu = found->second;
    if (!gpu.decoding || !gpu.decoding->done)
        return gpu.id;
    if (const QImage& picture = gpu.decoding->picture; !picture.isNull()) {
        glGenTextures(1, &gpu.id);
        glBindTexture(GL_TEXTURE_2D, gpu.id);
        glTexImage2D(GL_TEXTURE_2D, 0, GL_RGBA8, picture.width(), picture.height(), 0, GL_RGBA, GL_UNSIGNED_BYTE,
                     picture.constBits());
        glGenerateMipmap(GL_TEXTURE_2D);
        glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MIN_FILTER, GL_LINEAR_MIPMAP_LINEAR);
        glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MAG_FILTER, GL_LINEAR);
    }
    gpu.decoding.reset();
    return gpu.id;
}

void GlScene::resume(int width, int height) {
    m_width = width;
    m_height = height;
    glViewport(0, 0, width, height);
    glDisable(GL_BLEND);
    glDisable(GL_CULL_FACE);
    glDisable(GL_SCISSOR_TEST);
    glEnable(GL_DEPTH_TEST);
    glDepthMask(GL_TRUE);
    glDepthFunc(GL_LEQUAL);
}

void GlScene::begin(const QColor& top, const QColor& bottom, int width, int height) {
    m_counts = {};
    resume(width, height);
    glClearColor(0, 0, 0, 1);
    glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
    m_backdrop.bind();
    m_backdrop.setUniformValue("uTop", QVector3D(static_cast<float>(top.redF()), static_cast<float>(top.greenF()),
                                                 static_cast<float>(top.blueF())));
    m_backdrop.setUniformValue("uBottom",
                               QVector3D(static_cast<float>(bottom.redF()), static_cast<float>(bottom.greenF()),
                                         static_cast<float>(bottom.blueF())));
    glBindVertexArray(m_emptyVao);
    glDepthMask(GL_FALSE);
    glDrawArrays(GL_TRIANGLES, 0, 3);
    glDepthMask(GL_TRUE);
}

namespace {

constexpr GLuint kRowSlot = 4; // and the two after it
constexpr GLuint kCoarserSlot = 7;
constexpr GLuint kTintSlot = 8;
constexpr std::size_t kRowFloats = 12;

/// The three rows of a copy's matrix.
void writeRows(const Placement& p, float size, float* out) {
    const Eigen::Matrix3d turn = p.rotation.toRotationMatrix() * (p.scale * static_cast<double>(size));
    for (int row = 0; row < 3; ++row)
        for (int column = 0; column < 4; ++column)
            *out++ = static_cast<float>(column < 3 ? turn(row, column) : p.position[row]);
}

} // namespace

GLuint GlScene::placesOf(const std::shared_ptr<const CellTable>& copies) {
    GpuPlaces& gpu = m_places[copies.get()];
    if (gpu.buffer != 0 && !gpu.owner.expired())
        return gpu.buffer;
    if (gpu.buffer == 0)
        glGenBuffers(1, &gpu.buffer);
    gpu.owner = copies;
    std::vector<float> rows(kRowFloats * copies->size());
    for (std::uint32_t slot = 0; slot < copies->size(); ++slot)
        writeRows(copies->at(slot), 1, &rows[kRowFloats * slot]);
    glBindBuffer(GL_ARRAY_BUFFER, gpu.buffer);
    glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(rows.size() * sizeof(float)), rows.data(), GL_STATIC_DRAW);
    return gpu.buffer;
}

GLuint GlScene::extrasOf(const std::shared_ptr<const GroundMesh>& tile) {
    GpuExtras& gpu = m_extras[tile.get()];
    if (gpu.buffer != 0 && !gpu.owner.expired())
        return gpu.buffer;
    if (gpu.buffer == 0)
        glGenBuffers(1, &gpu.buffer);
    gpu.owner = tile;
    glBindBuffer(GL_ARRAY_BUFFER, gpu.buffer);
    glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(tile->extras.size() * sizeof(float)), tile->extras.data(),
                 GL_STATIC_DRAW);
    return gpu.buffer;
}

/// Where the copies of a part stand: from the buffer of all, or gathered.
void GlScene::placeCopies(const DrawItem& item, const Part& part) {
    std::size_t offset = 0;
    if (item.copies && item.listed.empty()) {
        glBindBuffer(GL_ARRAY_BUFFER, placesOf(item.copies));
        offset = kRowFloats * sizeof(float) * (std::size_t{item.first} + part.firstCopy);
    } else {
        m_listed.resize(kRowFloats * part.copies);
        for (std::uint32_t i = 0; item.copies && i < part.copies; ++i)
            writeRows(item.copies->at(item.listed[part.firstCopy + i]),
                      item.sizes.empty() ? 1.0F : item.sizes[part.firstCopy + i], &m_listed[kRowFloats * i]);
        for (int row = 0; !item.copies && row < 3; ++row)
            for (int column = 0; column < 4; ++column)
                m_listed[static_cast<std::size_t>(4 * row + column)] = item.model(row, column);
        glBindBuffer(GL_ARRAY_BUFFER, m_listedBuffer);
        glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(m_listed.size() * sizeof(float)), m_listed.data(),
                     GL_STREAM_DRAW);
    }
    for (GLuint row = 0; row < 3; ++row) {
        glEnableVertexAttribArray(kRowSlot + row);
        glVertexAttribPointer(kRowSlot + row, 4, GL_FLOAT, GL_FALSE, kRowFloats * sizeof(float),
                              reinterpret_cast<const void*>(offset + row * 4 * sizeof(float)));
        glVertexAttribDivisor(kRowSlot + row, 1);
    }
}

void GlScene::drawPart(const DrawItem& item, Shading shading, const Part& of) {
    placeCopies(item, of);
    if (shading == Shading::Edges) {
        glEnable(GL_POLYGON_OFFSET_FILL);
        glPolygonOffset(1, 1);
    }
    const auto drawTriangles = [&](std::uint32_t from, std::uint32_t to) {
        glDrawElementsInstanced(GL_TRIANGLES, static_cast<GLsizei>(3 * (to - from)), GL_UNSIGNED_INT,
                                reinterpret_cast<const void*>(std::size_t{12} * from), static_cast<GLsizei>(of.copies));
    };
    static const Material kPlain;
    for (const MeshPart& part : item.mesh->parts) {
        const std::uint32_t from = std::max(part.firstTriangle, of.firstTriangle);
        const std::uint32_t to = std::min(part.firstTriangle + part.triangleCount, of.endTriangle);
        if (from >= to)
            continue;
        const bool known = item.surfaces && part.material < item.surfaces->materials.size();
        const Material& material = known ? item.surfaces->materials[part.material] : kPlain;
        const GLuint id = known && material.baseColorImage >= 0 && !item.mesh->uvs.empty()
                              ? texture(item.surfaces, material.baseColorImage)
                              : 0;
        const bool cuts = material.alphaMode == AlphaMode::Mask && material.alphaCutoff > 0;
        m_surface.use((id != 0 ? GlSurface::Textured : 0U) | (cuts ? GlSurface::Cuts : 0U),
                      {material.baseColor[0], material.baseColor[1], material.baseColor[2], material.baseColor[3]},
                      material.alphaCutoff);
        glBindTexture(GL_TEXTURE_2D, id);
        drawTriangles(from, to);
        m_counts.triangles += std::uint64_t{to - from} * of.copies;
        m_counts.draws +=
            from == part.firstTriangle && of.firstCopy == 0 ? 1 : 0; // one that is drawn in pieces is still one
    }
    if (shading == Shading::Edges) {
        glDisable(GL_POLYGON_OFFSET_FILL);
        glPolygonMode(GL_FRONT_AND_BACK, GL_LINE);
        m_surface.use(GlSurface::Flat, {0.09F, 0.11F, 0.10F, 1}, 0);
        drawTriangles(of.firstTriangle, of.endTriangle);
        glPolygonMode(GL_FRONT_AND_BACK, GL_FILL);
    }
}

QVector4D GlScene::tintOf(const DrawItem& item, Shading shading) const {
    const QColor tint = Look::level(item.level);
    return {std::pow(static_cast<float>(tint.redF()), 2.0F), std::pow(static_cast<float>(tint.greenF()), 2.0F),
            std::pow(static_cast<float>(tint.blueF()), 2.0F), shading == Shading::Levels ? 0.9F : 0.0F};
}

std::uint64_t GlScene::drawStrands(const DrawItem& item, const QMatrix4x4& viewProjection, const QVector3D& eye,
                                   Shading shading, std::uint64_t from, std::uint64_t most) {
    const std::uint64_t each = std::uint64_t{2} * (m_strands.mostPoints(*item.strands) - 1);
    const auto first = static_cast<std::uint32_t>(from / each);
    const auto count = static_cast<std::uint32_t>(
        std::min<std::uint64_t>(item.times() - first, std::max<std::uint64_t>(1, most / each)));
    m_strands.draw(*item.strands, item.copies, item.listed.empty() ? item.first + first : first, count, item.listed,
                   {viewProjection, fromQt(eye), m_height, shading == Shading::Shaded ? m_haze : 0.0F, hazeColor(),
                    tintOf(item, shading), item.fade});
    const auto level = static_cast<std::size_t>(item.level);
    if (item.listed.empty())
        m_counts.triangles += item.strands->costs->triangles(level, item.first + first, count);
    else
        for (std::uint32_t i = first; i < first + count; ++i)
            m_counts.triangles += item.strands->costs->triangles(level, item.listed[i], 1);
    m_counts.draws += first == 0 ? 1 : 0;
    return first + count < item.times() ? each * (first + count) : 0;
}

std::uint64_t GlScene::draw(const DrawItem& item, const QMatrix4x4& viewProjection, const QVector3D& eye,
                            Shading shading, std::uint64_t from, std::uint64_t most) {
    if (item.strands && item.copies && item.times() > 0)
        return drawStrands(item, viewProjection, eye, shading, from, most);
    if (item.particles) {
        m_particles.draw(*item.particles, {viewProjection, eye, {}});
        m_counts.particleTriangles = 2 * item.particles->dots.size();
        m_counts.particleDraws = item.particles->groups.size();
        return 0;
    }
    if (!item.mesh || item.times() == 0)
        return 0;
    const std::uint32_t each = item.mesh->triangleCount();
    const GpuMesh& gpu = upload(item.mesh);
    const bool valued =
        item.values && item.valueUse != ValueUse::None && item.values->size() == item.mesh->positions.size();
    const bool warms = item.ground && shading == Shading::Heat; // all of a tile by what it is off
    GlSurface::Item how;
    how.viewProjection = viewProjection;
    how.eye = eye;
    how.tint = tintOf(item, shading);
    how.fade = item.fade;
    how.haze = shading == Shading::Shaded ? m_haze : 0.0F;
    how.valueScale = item.valueScale;
    how.does = (item.fade < 1 ? GlSurface::Fades : 0U) | (item.mesh->normals.empty() ? 0U : GlSurface::Normals) |
               (how.haze > 0 ? GlSurface::Hazes : 0U) |
               (warms || (valued && item.valueUse == ValueUse::Heat) ? GlSurface::Heats : 0U) |
               (valued && item.valueUse == ValueUse::Care ? GlSurface::Cares : 0U);
    if (item.ground) {
        how.morph = item.morph;
        how.morphEdges = {item.morphEdges[0], item.morphEdges[1], item.morphEdges[2], item.morphEdges[3]};
    }
    m_surface.begin(how);
    glBindVertexArray(gpu.vao);
    if (valued) {
        glBindBuffer(GL_ARRAY_BUFFER, valueBuffer(item.values));
        glEnableVertexAttribArray(3);
        glVertexAttribPointer(3, 1, GL_FLOAT, GL_FALSE, 0, nullptr);
    } else {
        glDisableVertexAttribArray(3);
        // Of the core functions, these alone have the value of what is no array.
        QOpenGLContext::currentContext()->functions()->glVertexAttrib1f(3, warms ? item.errorShare : 0.0F);
    }
    if (item.ground) {
        glBindBuffer(GL_ARRAY_BUFFER, extrasOf(item.ground));
        glEnableVertexAttribArray(kCoarserSlot);
        glVertexAttribPointer(kCoarserSlot, 2, GL_FLOAT, GL_FALSE, 5 * sizeof(float), nullptr);
        glEnableVertexAttribArray(kTintSlot);
        glVertexAttribPointer(kTintSlot, 3, GL_FLOAT, GL_FALSE, 5 * sizeof(float),
                              reinterpret_cast<const void*>(2 * sizeof(float)));
    } else {
        QOpenGLFunctions* plain = QOpenGLContext::currentContext()->functions();
        plain->glVertexAttrib2f(kCoarserSlot, 0, 0);
        plain->glVertexAttrib3f(kTintSlot, 1, 1, 1);
    }
    const bool clipped = item.clipFrom > 0 || item.clipTo < 1;
    if (clipped) {
        const int left = static_cast<int>(std::lround(item.clipFrom * static_cast<float>(m_width)));
        const int right = static_cast<int>(std::lround(item.clipTo * static_cast<float>(m_width)));
        glEnable(GL_SCISSOR_TEST);
        glScissor(left, 0, std::max(0, right - left), m_height);
    }
    glActiveTexture(GL_TEXTURE0);
    Part part;
    part.firstCopy = static_cast<std::uint32_t>(from / each);
    part.firstTriangle = static_cast<std::uint32_t>(from % each);
    part.endTriangle = each;
    if (part.firstTriangle == 0 && each <= most) // copies whole, as many as there may be
        part.copies = static_cast<std::uint32_t>(
            std::min<std::uint64_t>(item.times() - part.firstCopy, std::max<std::uint64_t>(1, most / each)));
    else // a piece of one
        part.endTriangle = static_cast<std::uint32_t>(std::min<std::uint64_t>(each, part.firstTriangle + most));
    drawPart(item, shading, part);
    if (clipped)
        glDisable(GL_SCISSOR_TEST);
    const std::uint64_t next = part.endTriangle < each ? std::uint64_t{part.firstCopy} * each + part.endTriangle
                                                       : (std::uint64_t{part.firstCopy} + part.copies) * each;
    return next < item.triangles() ? next : 0;
}

void GlScene::end() {
    glBindVertexArray(0);
    glBindBuffer(GL_ARRAY_BUFFER, 0);
    glUseProgram(0);
    glDisable(GL_DEPTH_TEST);
}

void GlScene::resolve(unsigned from, unsigned to, int width, int height) {
    glBindFramebuffer(GL_READ_FRAMEBUFFER, from);
    glBindFramebuffer(GL_DRAW_FRAMEBUFFER, to);
    glBlitFramebuffer(0, 0, width, height, 0, 0, width, height, GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT, GL_NEAREST);
    glBindFramebuffer(GL_FRAMEBUFFER, to);
}

void GlScene::enlarge(unsigned from, const QSize& size, unsigned to, const QRect& place) {
    glBindFramebuffer(GL_READ_FRAMEBUFFER, from);
    glBindFramebuffer(GL_DRAW_FRAMEBUFFER, to);
    glBlitFramebuffer(0, 0, size.width(), size.height(), place.x(), place.y(), place.x() + place.width(),
                      place.y() + place.height(), GL_COLOR_BUFFER_BIT, GL_LINEAR);
    glBindFramebuffer(GL_FRAMEBUFFER, to);
}

void GlScene::waitForLastBut(std::size_t marks) {
    constexpr GLuint64 kLongest = 2'000'000'000; // nanoseconds; a card that takes longer is waited for by its driver
    m_marks.push_back(glFenceSync(GL_SYNC_GPU_COMMANDS_COMPLETE, 0));
    glFlush();
    while (m_marks.size() > marks) {
        glClientWaitSync(m_marks.front(), GL_SYNC_FLUSH_COMMANDS_BIT, kLongest);
        glDeleteSync(m_marks.front());
        m_marks.pop_front();
    }
}

} // namespace thicket::app

#include "app/budget/machine_probe.h"

#include <QOpenGLContext>
#include <QOpenGLFramebufferObject>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLVersionFunctionsFactory>
#include <algorithm>
#include <chrono>
#include <cmath>

namespace thicket::app {
namespace {

constexpr int kWide = 1280;
constexpr int kTall = 720;
constexpr int kTimes = 5;

const char* const kProbeVertex = R"(#version 330 core
layout(location = 0) in vec3 place;
uniform vec2 uMove;
void main() { gl_Position = vec4(place.xy + uMove, place.z, 1.0); }
)";
const char* const kProbeFragment = R"(#version 330 core
uniform vec3 uColor;
out vec4 color;
void main() { color = vec4(uColor, 1.0); }
)";

/// One load: so many draws, each of so many triangles over a square, and that square so large.
struct Load {
    int draws;
    int triangles; ///< a draw
    bool shared;   ///< vertices are, as in a grid; else three a triangle
    float side;    ///< of the square, in halves of the picture
};

/// Loads of unlike kinds, so that each figure shows in some of them.
std::vector<Load> loads() {
    std::vector<Load> out;
    for (const int triangles : {2'000, 20'000, 60'000, 120'000, 250'000, 400'000})
        for (const bool shared : {true, false})
            out.push_back({1, triangles, shared, 0.3F});
    for (const int draws : {50, 200, 500, 1000, 2000})
        out.push_back({draws, 2, true, 0.004F});
    for (const int layers : {1, 4, 10, 20, 40})
        out.push_back({layers, 2, true, 2});
    for (const int draws : {20, 100, 300})
        out.push_back({draws, 1000, true, 0.1F});
    for (const int layers : {4, 12})
        out.push_back({layers, 20'000, true, 1});
    return out;
}

class Prober {
public:
    Prober(QOpenGLFunctions_3_3_Core& gl) : m_gl(gl) {}

    bool initialize() {
        return m_program.addShaderFromSourceCode(QOpenGLShader::Vertex, kProbeVertex) &&
               m_program.addShaderFromSourceCode(QOpenGLShader::Fragment, kProbeFragment) && m_program.link();
    }

    FrameTime time(const Load& load) {
        const auto across = static_cast<int>(std::max(1.0, std::round(std::sqrt(load.triangles / 2.0))));
        makeGrid(across, load);
        FrameTime row;
        const double triangles = 2.0 * across * across;
        row.triangles = triangles * load.draws;
        row.vertices = (load.shared ? (across + 1.0) * (across + 1.0) : 3 * triangles) * load.draws;
        row.draws = load.draws;
        const double share = std::min(1.0, static_cast<double>(load.side) / 2);
        row.pixels = share * kWide * share * kTall * load.draws;
        std::vector<double> ms;
        draw(load);
        for (int i = 0; i < kTimes; ++i) {
            m_gl.glFinish();
            const auto start = std::chrono::steady_clock::now();
            draw(load);
            m_gl.glFinish();
            ms.push_back(std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count());
        }
        std::nth_element(ms.begin(), ms.begin() + kTimes / 2, ms.end());
        row.ms = ms[kTimes / 2];
        m_gl.glDeleteBuffers(1, &m_vertices);
        m_gl.glDeleteBuffers(1, &m_indices);
        m_gl.glDeleteVertexArrays(1, &m_array);
        return row;
    }

private:
    void makeGrid(int across, const Load& load) {
        std::vector<float> places;
        std::vector<std::uint32_t> indices;
        const float step = load.side / static_cast<float>(across);
        const auto add = [&](int x, int y) {
            places.insert(places.end(), {-load.side / 2 + step * static_cast<float>(x),
                                         -load.side / 2 + step * static_cast<float>(y), 0.0F});
        };
        const auto row = static_cast<std::uint32_t>(across + 1);
        if (load.shared)
            for (int y = 0; y <= across; ++y)
                for (int x = 0; x <= across; ++x)
                    add(x, y);
        for (int y = 0; y < across; ++y)
            for (int x = 0; x < across; ++x) {
                const auto at = static_cast<std::uint32_t>(y) * row + static_cast<std::uint32_t>(x);
                if (load.shared) {
                    indices.insert(indices.end(), {at, at + 1, at + row, at + 1, at + row + 1, at + row});
                    continue;
                }
                for (const auto& [dx, dy] : {std::pair(0, 0), {1, 0}, {0, 1}, {1, 0}, {1, 1}, {0, 1}}) {
                    indices.push_back(static_cast<std::uint32_t>(places.size() / 3));
                    add(x + dx, y + dy);
                }
            }
        m_count = static_cast<GLsizei>(indices.size());
        m_gl.glGenVertexArrays(1, &m_array);
        m_gl.glBindVertexArray(m_array);
        m_gl.glGenBuffers(1, &m_vertices);
        m_gl.glBindBuffer(GL_ARRAY_BUFFER, m_vertices);
        m_gl.glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(places.size() * sizeof(float)), places.data(),
                          GL_STATIC_DRAW);
        m_gl.glEnableVertexAttribArray(0);
        m_gl.glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 0, nullptr);
        m_gl.glGenBuffers(1, &m_indices);
        m_gl.glBindBuffer(GL_ELEMENT_ARRAY_BUFFER, m_indices);
        m_gl.glBufferData(GL_ELEMENT_ARRAY_BUFFER, static_cast<GLsizeiptr>(indices.size() * sizeof(std::uint32_t)),
                          indices.data(), GL_STATIC_DRAW);
    }

    void draw(const Load& load) {
        m_gl.glViewport(0, 0, kWide, kTall);
        m_gl.glDisable(GL_DEPTH_TEST); // every layer is to be drawn
        m_gl.glDisable(GL_CULL_FACE);
        m_gl.glClear(GL_COLOR_BUFFER_BIT);
        m_program.bind();
        m_gl.glBindVertexArray(m_array);
        const int move = m_program.uniformLocation("uMove");
        const int color = m_program.uniformLocation("uColor");
        for (int i = 0; i < load.draws; ++i) { // with a change of state each, as draws have
            const float at = load.side >= 2 ? 0.0F : 0.4F * static_cast<float>(i % 7) / 7 - 0.2F;
            m_program.setUniformValue(move, at, -at);
            m_program.setUniformValue(color, static_cast<float>(i % 5) / 5, 0.5F, 0.3F);
            m_gl.glDrawElements(GL_TRIANGLES, m_count, GL_UNSIGNED_INT, nullptr);
        }
    }

    QOpenGLFunctions_3_3_Core& m_gl;
    QOpenGLShaderProgram m_program;
    GLuint m_array = 0;
    GLuint m_vertices = 0;
    GLuint m_indices = 0;
    GLsizei m_count = 0;
};

} // namespace

Result<MachineTimes> timeMachine(QOffscreenSurface& surface, const JobContext& job) {
    const Error none{ErrorCode::CheckFailed, "this machine", "has no OpenGL 3.3 to draw with",
                     "enter its figures, or fit them to frame times measured elsewhere"};
    QOpenGLContext context;
    context.setFormat(surface.requestedFormat());
    if (!context.create() || !context.makeCurrent(&surface))
        return none;
    auto* gl = QOpenGLVersionFunctionsFactory::get<QOpenGLFunctions_3_3_Core>(&context);
    if (gl == nullptr || !gl->initializeOpenGLFunctions()) {
        context.doneCurrent();
        return none;
    }
    MachineTimes out;
    out.renderer = QString::fromUtf8(reinterpret_cast<const char*>(gl->glGetString(GL_RENDERER)));
    for (const char* name : {"llvmpipe", "softpipe", "swrast", "software"})
        out.software = out.software || out.renderer.contains(QLatin1String(name), Qt::CaseInsensitive);
    {
        QOpenGLFramebufferObject target(kWide, kTall, QOpenGLFramebufferObject::NoAttachment);
        target.bind();
        Prober prober(*gl);
        if (!prober.initialize()) {
            context.doneCurrent();
            return none;
        }
        const std::vector<Load> all = loads();
        for (std::size_t i = 0; i < all.size(); ++i) {
            if (job.cancelled())
                break;
            job.report(static_cast<double>(i) / static_cast<double>(all.size()), "drawing known loads");
            out.rows.push_back(prober.time(all[i]));
        }
    }
    context.doneCurrent();
    if (job.cancelled())
        return cancelledError();
    return out;
}

} // namespace thicket::app

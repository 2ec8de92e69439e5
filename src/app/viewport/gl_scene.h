#pragma once
// Meshes and textures on the graphics card, and the one shader that draws them.

#include "scene/scene.h"

#include <QColor>
#include <QImage>
#include <QMatrix4x4>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QThreadPool>
#include <atomic>
#include <functional>
#include <map>
#include <memory>

namespace thicket::app {

/// How a surface is shown.
enum class Shading { Shaded, Edges, Levels, Heat };

/// What a value a vertex does to the picture.
enum class ValueUse { None, Heat, Care };

struct DrawItem {
    std::shared_ptr<const Mesh> mesh;
    std::shared_ptr<const Surfaces> surfaces;
    QMatrix4x4 model;
    int level = 0;
    float fade = 1; ///< 1: all of it; 0..1: this share of an ordered dither; -1..0: the complement of a share
    std::shared_ptr<const std::vector<float>> values; ///< one a vertex, or none
    ValueUse valueUse = ValueUse::None;
    float valueScale = 1; ///< times a value is 0..1 of the colours
    float clipFrom = 0;   ///< drawn only in this part of the picture's width
    float clipTo = 1;

    bool operator==(const DrawItem& other) const = default;
};

/// REQUIRES a current OpenGL 3.3 core context for every call.
class GlScene : protected QOpenGLFunctions_3_3_Core {
public:
    bool initialize();
    void release();
    /// Called on a worker's thread when a picture that a draw asked for has been decoded.
    void setReadyListener(std::function<void()> listener) { m_pictureReady = std::move(listener); }
    /// Colours of ValueUse::Heat, from nothing to the scale's end.
    static QColor heatColor(double share);
    void begin(const QColor& top, const QColor& bottom, int width, int height);
    /// Goes on with a picture that was begun in an earlier frame.
    void resume(int width, int height);
    /// Draws an item from triangle `first` on, at most about `most` triangles; adds to the counts. Returns where to go
    /// on, 0 when all of it is drawn. Edge lines of Shading::Edges are a second pass that is not counted.
    std::uint32_t draw(const DrawItem& item, const QMatrix4x4& viewProjection, const QVector3D& eye, Shading shading,
                       std::uint32_t first = 0, std::uint32_t most = 0xFFFFFFFFU);
    /// Square grid round `centre` at height y, 2 n + 1 lines each way.
    void grid(const QMatrix4x4& viewProjection, const QVector3D& centre, float square, int n);
    /// Lines from point to point, two a line, in one colour.
    void lines(const QMatrix4x4& viewProjection, const std::vector<QVector3D>& points, const QColor& color);
    void end();
    /// Copies a multisampled picture into a plain target and binds that.
    void resolve(unsigned from, unsigned to, int width, int height);
    /// Uploads a mesh before it is first drawn. Returns false when it was there already.
    bool warm(const std::shared_ptr<const Mesh>& mesh);
    /// Frees what no scene holds any more.
    void forget();

    [[nodiscard]] std::uint64_t triangles() const { return m_triangles; }
    [[nodiscard]] std::uint64_t draws() const { return m_draws; }

private:
    struct GpuMesh {
        std::weak_ptr<const Mesh> owner;
        GLuint vao = 0;
        GLuint buffers[4] = {};
    };
    struct Decoding {
        std::atomic<bool> done = false; ///< set last; `picture` is the worker's until then
        QImage picture;
    };
    struct GpuTexture {
        std::weak_ptr<const Surfaces> owner;
        GLuint id = 0;
        std::shared_ptr<Decoding> decoding; ///< none once it has been uploaded
    };
    /// `points`: three numbers each, two points a line; fades out from `centre` to `reach`.
    void drawLines(const QMatrix4x4& viewProjection, const std::vector<float>& points, const QVector3D& centre,
                   float reach, const QVector4D& color);
    GLuint valueBuffer(const std::shared_ptr<const std::vector<float>>& values);
    GpuMesh& upload(const std::shared_ptr<const Mesh>& mesh);
    /// 0 while the picture is still being decoded, and when it cannot be.
    GLuint texture(const std::shared_ptr<const Surfaces>& surfaces, int image);

    QOpenGLShaderProgram m_surface;
    QOpenGLShaderProgram m_backdrop;
    QOpenGLShaderProgram m_line;
    struct Uniforms {
        int model, viewProjection, normalMatrix, base, hasTexture, hasNormals, tint, fade, eye, flat, cutoff, valueUse,
            valueScale;
    } m_at{};
    std::map<const Mesh*, GpuMesh> m_meshes;
    std::map<std::pair<const Surfaces*, int>, GpuTexture> m_textures;
    struct GpuValues {
        std::weak_ptr<const std::vector<float>> owner;
        GLuint buffer = 0;
    };
    std::map<const std::vector<float>*, GpuValues> m_values;
    int m_width = 0;
    int m_height = 0;
    GLuint m_emptyVao = 0;
    GLuint m_lineVao = 0;
    GLuint m_lineBuffer = 0;
    QThreadPool m_decoders;
    std::function<void()> m_pictureReady;
    std::uint64_t m_triangles = 0;
    std::uint64_t m_draws = 0;
};

} // namespace thicket::app

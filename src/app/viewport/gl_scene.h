#pragma once
// Meshes and textures on the graphics card, and drawing them.

#include "app/viewport/gl_particles.h"
#include "app/viewport/gl_strands.h"
#include "app/viewport/gl_surface.h"
#include "scene/scene.h"
#include "switching/cells.h"

#include <QColor>
#include <QImage>
#include <QMatrix4x4>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QThreadPool>
#include <array>
#include <atomic>
#include <deque>
#include <functional>
#include <map>
#include <memory>

namespace thicket::app {

/// How a surface is shown.
enum class Shading { Shaded, Edges, Levels, Heat };

/// What a value a vertex does to the picture.
enum class ValueUse { None, Heat, Care };

/// A tile of a terrain, with what its points need besides: five numbers each, how far up its coarser place lies, the side
/// of the tile it is on (0: inside, else 1 + its place in kSides), and its colour.
struct GroundMesh {
    Mesh mesh;
    std::vector<float> extras;
    std::shared_ptr<const GroundMesh> lighter; ///< the same tile with half as many cells a side, for motion; or none
};

/// One mesh in one way: at one place, or at those of many copies.
struct DrawItem {
    std::shared_ptr<const Mesh> mesh;
    std::shared_ptr<const Surfaces> surfaces;
    QMatrix4x4 model; ///< turned, moved and scaled alike in all directions; no matter where there are copies
    std::shared_ptr<const CellTable> copies; ///< null: one, at `model`
    std::uint32_t first = 0;                 ///< slots first .. first + count - 1, where none are listed
    std::uint32_t count = 0;
    std::vector<std::uint32_t> listed; ///< slots
    std::vector<float> sizes;          ///< one a listed copy: times its own that it is drawn at; none: 1
    int level = 0;
    float fade = 1; ///< 1: all of it; 0..1: this share of an ordered dither; -1..0: the complement of a share
    std::shared_ptr<const std::vector<float>> values; ///< one a vertex, or none
    ValueUse valueUse = ValueUse::None;
    float valueScale = 1; ///< times a value is 0..1 of the colours
    float clipFrom = 0;   ///< drawn only in this part of the picture's width
    float clipTo = 1;
    std::shared_ptr<const GroundMesh> ground; ///< null: no tile
    float morph = 0;                          ///< of a tile: how far its points are on the way to their coarser places
    std::array<float, 4> morphEdges{};        ///< and those on its sides
    float errorShare = 0;                     ///< of what is allowed, that it is off by
    std::optional<StrandDraw> strands;        ///< of `copies`, in place of a mesh
    std::shared_ptr<const ParticleDraw> particles; ///< all there are, in place of a mesh

    [[nodiscard]] std::uint32_t times() const {
        return !copies ? 1 : listed.empty() ? count : static_cast<std::uint32_t>(listed.size());
    }
    bool operator==(const DrawItem& other) const = default;
    [[nodiscard]] std::uint64_t triangles() const { return mesh ? std::uint64_t{mesh->triangleCount()} * times() : 0; }
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
    /// What far things fade into.
    static QVector3D hazeColor();
    void begin(const QColor& top, const QColor& bottom, int width, int height);
    /// Shaded surfaces fade into the sky: half of a colour is left at `metres`; 0: they do not.
    void setHaze(double metres) { m_haze = metres > 0 ? static_cast<float>(1 / metres) : 0; }
    /// Goes on with a picture that was begun in an earlier frame.
    void resume(int width, int height);
    /// Draws an item from triangle `from` on (of all its copies', one after the other), at most about `most`
    /// triangles; adds to the counts. Returns where to go on, 0 when all of it is drawn. Edge lines of Shading::Edges
    /// are a second pass that is not counted.
    std::uint64_t draw(const DrawItem& item, const QMatrix4x4& viewProjection, const QVector3D& eye, Shading shading,
                       std::uint64_t from = 0, std::uint64_t most = ~std::uint64_t{0});
    /// Square grid round `centre` at height y, 2 n + 1 lines each way.
    void grid(const QMatrix4x4& viewProjection, const QVector3D& centre, float square, int n);
    /// Lines from point to point, two a line, in one colour.
    void lines(const QMatrix4x4& viewProjection, const std::vector<QVector3D>& points, const QColor& color);
    /// Round dots of a size in pixels; hollow ones are rings.
    struct Dot {
        float x, y, z;
        float red, green, blue, alpha;
        float pixels; ///< across; below 0: hollow
    };
    void dots(const QMatrix4x4& viewProjection, const std::vector<Dot>& dots);
    void end();
    /// Copies a multisampled picture into a plain target, with its depths, and binds that.
    void resolve(unsigned from, unsigned to, int width, int height);
    /// Copies a picture into a place of another target, smoothed, and binds that. The place may reach beyond it.
    void enlarge(unsigned from, const QSize& size, unsigned to, const QRect& place);
    /// Marks what was drawn since the last mark, and waits until all but the last `marks` of these are done.
    void waitForLastBut(std::size_t marks);
    /// Uploads a mesh before it is first drawn. Returns false when it was there already.
    bool warm(const std::shared_ptr<const Mesh>& mesh);
    /// Frees what no scene holds any more.
    void forget();

    /// What was drawn since begin().
    struct Counts {
        std::uint64_t triangles = 0;
        std::uint64_t draws = 0;
        std::uint64_t particleTriangles = 0; ///< of the one item that holds them all, however often it is laid on
        std::uint64_t particleDraws = 0;
    };
    [[nodiscard]] const Counts& counts() const { return m_counts; }
    void setCounts(const Counts& counts) { m_counts = counts; }
    [[nodiscard]] std::uint64_t triangles() const { return m_counts.triangles + m_counts.particleTriangles; }
    [[nodiscard]] std::uint64_t draws() const { return m_counts.draws + m_counts.particleDraws; }

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
    struct Part { ///< of an item: some copies whole, or some triangles of one
        std::uint32_t firstCopy = 0;
        std::uint32_t copies = 1;
        std::uint32_t firstTriangle = 0;
        std::uint32_t endTriangle = 0;
    };
    /// Strands `from` on, as many as make about `most` triangles; returns where to go on.
    std::uint64_t drawStrands(const DrawItem& item, const QMatrix4x4& viewProjection, const QVector3D& eye,
                              Shading shading, std::uint64_t from, std::uint64_t most);
    [[nodiscard]] QVector4D tintOf(const DrawItem& item, Shading shading) const;
    void drawPart(const DrawItem& item, Shading shading, const Part& part);
    void placeCopies(const DrawItem& item, const Part& part);
    GLuint extrasOf(const std::shared_ptr<const GroundMesh>& tile);
    GLuint placesOf(const std::shared_ptr<const CellTable>& copies);
    GLuint valueBuffer(const std::shared_ptr<const std::vector<float>>& values);
    GpuMesh& upload(const std::shared_ptr<const Mesh>& mesh);
    /// 0 while the picture is still being decoded, and when it cannot be.
    GLuint texture(const std::shared_ptr<const Surfaces>& surfaces, int image);

    GlStrands m_strands;
    GlParticles m_particles;
    GlSurface m_surface;
    QOpenGLShaderProgram m_backdrop;
    QOpenGLShaderProgram m_line;
    QOpenGLShaderProgram m_dot;
    std::map<const Mesh*, GpuMesh> m_meshes;
    std::map<std::pair<const Surfaces*, int>, GpuTexture> m_textures;
    struct GpuValues {
        std::weak_ptr<const std::vector<float>> owner;
        GLuint buffer = 0;
    };
    std::map<const std::vector<float>*, GpuValues> m_values;
    struct GpuExtras {
        std::weak_ptr<const GroundMesh> owner;
        GLuint buffer = 0;
    };
    std::map<const GroundMesh*, GpuExtras> m_extras;
    struct GpuPlaces { ///< of all copies of a table: three rows of a matrix each
        std::weak_ptr<const CellTable> owner;
        GLuint buffer = 0;
    };
    std::map<const CellTable*, GpuPlaces> m_places;
    GLuint m_listedBuffer = 0; ///< places of copies that do not lie in a row
    std::vector<float> m_listed;
    std::deque<GLsync> m_marks;
    float m_haze = 0;
    int m_width = 0;
    int m_height = 0;
    GLuint m_emptyVao = 0;
    GLuint m_lineVao = 0;
    GLuint m_lineBuffer = 0;
    QThreadPool m_decoders;
    std::function<void()> m_pictureReady;
    Counts m_counts;
};

} // namespace thicket::app

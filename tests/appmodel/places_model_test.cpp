#include "base/file.h"
#include "io/ship/write_glb.h"
#include "model_fixture.h"
#include "support/shapes.h"

#include <QSignalSpy>

namespace thicket::app {

class PlacesTest : public ModelTest {
protected:
    /// A ball with three single triangles that face the wrong way, and a plate with a hole.
    void bringIn() {
        Mesh ball = shapes::sphere(10);
        for (const std::uint32_t t : {3U, 200U, 700U})
            std::swap(ball.indices[3 * t + 1], ball.indices[3 * t + 2]);
        for (const auto& [name, mesh] :
             {std::pair("ball.glb", ball), std::pair("plate.glb", shapes::plateWithHoles(8))}) {
            Surfaces surfaces;
            surfaces.materials.emplace_back();
            ASSERT_TRUE(writeFile(folder.path() / name, encodeGlb(name, {std::make_shared<const Mesh>(mesh)}, surfaces,
                                                                  GlbLevels::Named, {})));
            bench.files.openFiles({QString::fromStdString((folder.path() / name).string())});
            settle();
        }
        ASSERT_EQ(scene().subjects.size(), 2U);
        bench.session.selectSubject(scene().subjects[0].id);
    }
    [[nodiscard]] bool pointTo(FindingKind kind) {
        places().point(kind);
        return QTest::qWaitFor([&] { return places().pointed() != nullptr && places().pointed()->kind == kind; },
                               60'000);
    }
    PlacesModel& places() { return bench.places; }
};

TEST_F(PlacesTest, pointing_again_goes_from_place_to_place_and_round) {
    bringIn();
    QSignalSpy changed(&places(), &PlacesModel::changed);
    ASSERT_TRUE(pointTo(FindingKind::FlippedTriangles));
    EXPECT_EQ(changed.count(), 2) << "when it was asked for, and when it was known";
    EXPECT_EQ(places().pointed()->places->spots.size(), 3U);
    EXPECT_EQ(places().pointed()->from.size(), 3U);
    for (const std::size_t spot : {1U, 2U, 0U}) {
        places().point(FindingKind::FlippedTriangles);
        ASSERT_NE(places().pointed(), nullptr);
        EXPECT_EQ(places().pointed()->spot, spot);
    }
    EXPECT_EQ(changed.count(), 5);
    for (const std::size_t spot : {2U, 1U, 0U}) {
        places().point(FindingKind::FlippedTriangles, true);
        EXPECT_EQ(places().pointed()->spot, spot);
    }
    EXPECT_EQ(document().undo().count(), 2) << "looking is no step";
}

TEST_F(PlacesTest, another_mesh_or_a_mend_takes_the_mark_away) {
    bringIn();
    ASSERT_TRUE(pointTo(FindingKind::FlippedTriangles));
    bench.session.selectSubject(scene().subjects[1].id);
    EXPECT_EQ(places().pointed(), nullptr);
    ASSERT_TRUE(pointTo(FindingKind::OpenBorders));
    EXPECT_EQ(places().pointed()->places->spots.size(), 2U);
    bench.files.renameSubject(scene().subjects[1].id, "tray");
    EXPECT_NE(places().pointed(), nullptr) << "the mesh is the same";
    bench.session.selectSubject(scene().subjects[0].id);
    ASSERT_TRUE(pointTo(FindingKind::FlippedTriangles));
    bench.files.mend({scene().subjects[0].id}, {MendKind::Flipped, 0});
    settle();
    EXPECT_EQ(places().pointed(), nullptr);
}

TEST_F(PlacesTest, of_two_findings_of_one_mesh_the_one_asked_for_last_is_marked) {
    bringIn();
    ASSERT_TRUE(pointTo(FindingKind::FlippedTriangles));
    // Where it is known that one lies nowhere, and where it is still looked for.
    for (const bool waits : {true, false}) {
        places().point(FindingKind::OpenBorders);
        EXPECT_TRUE(places().looking());
        EXPECT_EQ(places().pointed(), nullptr) << "the one before is not marked any more";
        if (waits) {
            ASSERT_TRUE(QTest::qWaitFor([&] { return !places().looking(); }, 60'000));
        }
        ASSERT_TRUE(pointTo(FindingKind::FlippedTriangles));
        ASSERT_TRUE(QTest::qWaitFor([&] { return !bench.session.looks().busy(); }, 60'000));
        EXPECT_FALSE(places().looking());
        EXPECT_EQ(places().pointed()->kind, FindingKind::FlippedTriangles);
        EXPECT_EQ(places().pointed()->spot, 0U);
    }
    places().point(FindingKind::OpenBorders); // a closed ball has none
    ASSERT_TRUE(QTest::qWaitFor([&] { return !places().looking(); }, 60'000));
    EXPECT_EQ(places().pointed(), nullptr);
}

TEST_F(PlacesTest, what_is_pointed_to_last_is_marked) {
    bringIn();
    places().point(FindingKind::FlippedTriangles);
    bench.session.selectSubject(scene().subjects[1].id); // before it is known where that lies
    ASSERT_TRUE(pointTo(FindingKind::OpenBorders));
    EXPECT_EQ(places().pointed()->places->spots.size(), 2U);
    places().point(FindingKind::MissingNormals); // lies nowhere
    ASSERT_TRUE(QTest::qWaitFor([&] { return !bench.session.looks().busy(); }, 60'000));
    EXPECT_EQ(places().pointed()->kind, FindingKind::OpenBorders);
    places().clear();
    EXPECT_EQ(places().pointed(), nullptr);
}

} // namespace thicket::app

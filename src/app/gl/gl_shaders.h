// The programs that the graphics card runs for the view; those of strands stand with the strands.
#pragma once
#include <QOpenGLShaderProgram>

namespace ovrix::app {

/// In the current context. @p geometry may be null. Throws Error with what the driver says.
void linkProgram(QOpenGLShaderProgram& program, const char* vertex, const char* fragment,
                 const char* geometry = nullptr);

/// Meshes, one or many at once, boxes and dots; by mode lit or by their numbers for picking.
extern const char* const kSceneVertex;
extern const char* const kSceneFragment;
/// Between kSceneVertex and kPlainFragment: lines of a mesh, as wide as contours are.
extern const char* const kEdgeGeometry;
extern const char* const kPlainFragment;
/// The lines of the ground, which fade with distance.
extern const char* const kGridVertex;
extern const char* const kGridFragment;

}  // namespace ovrix::app

// The sparse Cholesky of SuiteSparse (Debian's libsuitesparse-dev) on a system that go run
// ./bench cholesky writes: prints milliseconds of ordering, factorisation and solution.
#include <suitesparse/cholmod.h>
#include <chrono>
#include <cstdio>

static double now() {
  return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

int main(int, char **argv) {
  FILE *file = fopen(argv[1], "rb");
  int head[3]; // unknowns, entries of the lower half, right-hand sides
  if (!file || fread(head, 4, 3, file) != 3) return 2;
  cholmod_common c;
  cholmod_start(&c);
  c.nmethods = 1;
  c.method[0].ordering = CHOLMOD_AMD;
  cholmod_sparse *a = cholmod_allocate_sparse(head[0], head[0], head[1], 1, 1, -1, CHOLMOD_REAL, &c);
  cholmod_dense *b = cholmod_zeros(head[0], head[2], CHOLMOD_REAL, &c);
  if (fread(a->p, 4, head[0] + 1, file) != (size_t)head[0] + 1 || fread(a->i, 4, head[1], file) != (size_t)head[1] ||
      fread(a->x, 8, head[1], file) != (size_t)head[1])
    return 2;
  for (int j = 0; j < head[2]; j++)
    for (int i = j; i < head[0]; i += 7) ((double *)b->x)[(size_t)j * head[0] + i] = 1;
  double begin = now();
  cholmod_factor *l = cholmod_analyze(a, &c);
  double ordered = now();
  cholmod_factorize(a, l, &c);
  double factorised = now();
  cholmod_solve(CHOLMOD_A, l, b, &c);
  printf("%f %f %f\n", ordered - begin, factorised - ordered, now() - factorised);
}

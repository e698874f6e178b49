// The plain loops that Durvek's workloads are held against. Commands come line by line on standard
// input; each answers with the seconds it took:
//   w FILE BLOCKS   write blocks of 1 MiB in order, then flush
//   r FILE BLOCKS   read blocks of 1 MiB in order
//   q FILE READS    read 4 KiB at random places, one at a time
//   m COUNT PASSES  a = b + s*c over three arrays of COUNT doubles
#define _GNU_SOURCE
#include <fcntl.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

enum { BLOCK = 1 << 20, SMALL = 4096, POOL = 16 };

static double now(void) {
	struct timespec t;
	clock_gettime(CLOCK_MONOTONIC, &t);
	return t.tv_sec + t.tv_nsec * 1e-9;
}

static uint64_t state = 88172645463325252ull;
static uint64_t next(void) { state ^= state << 13; state ^= state >> 7; return state ^= state << 17; }

// array is n doubles that ask for large pages, as ours do.
static double *array(long n) {
	void *p;
	if (posix_memalign(&p, 2 << 20, n * 8)) exit(1);
	madvise(p, n * 8, MADV_HUGEPAGE);
	return p;
}

static double *a, *b, *c;
static long held;

int main(void) {
	unsigned char *pool;
	if (posix_memalign((void **)&pool, 2 << 20, (size_t)(POOL + 2) * BLOCK)) return 1;
	madvise(pool, (size_t)(POOL + 2) * BLOCK, MADV_HUGEPAGE);
	for (size_t i = 0; i < (size_t)POOL * BLOCK / 8; i++) ((uint64_t *)pool)[i] = next();
	unsigned char *into = pool + (size_t)POOL * BLOCK;
	for (size_t i = 0; i < BLOCK; i += 4096) into[i] = 1;
	char line[4096], what, path[3000];
	long n, passes;
	while (fgets(line, sizeof line, stdin)) {
		double t = -1;
		if (sscanf(line, "m %ld %ld", &n, &passes) == 2) {
			if (held != n) {
				free(a); free(b); free(c);
				a = array(n); b = array(n); c = array(n);
				for (long i = 0; i < n; i++) { a[i] = 0; b[i] = 1; c[i] = 2; }
				held = n;
			}
			double s = 3;
			t = now();
			for (long p = 0; p < passes; p++) {
				for (long i = 0; i < n; i++) a[i] = b[i] + s * c[i];
				__asm__ volatile("" ::: "memory");
			}
			t = now() - t;
			if (a[n / 2] != 7) t = -1;
		} else if (sscanf(line, "%c %2999s %ld", &what, path, &n) == 3) {
			int fd = open(path, O_RDWR | O_DIRECT);
			struct stat st;
			if (fd < 0 || fstat(fd, &st)) { printf("-1\n"); fflush(stdout); continue; }
			long blocks = st.st_size / BLOCK;
			int ok = 1;
			t = now();
			for (long i = 0; ok && i < n; i++) {
				if (what == 'w') ok = pwrite(fd, pool + (size_t)((i + 7) % POOL) * BLOCK, BLOCK, (i % blocks) * BLOCK) == BLOCK;
				else if (what == 'r') ok = pread(fd, into, BLOCK, (i % blocks) * BLOCK) == BLOCK;
				else ok = pread(fd, into, SMALL, (long)(next() % (uint64_t)(st.st_size / SMALL)) * SMALL) == SMALL;
			}
			if (what == 'w') ok = ok && fsync(fd) == 0;
			t = ok ? now() - t : -1;
			close(fd);
		}
		printf("%.9f\n", t);
		fflush(stdout);
	}
	return 0;
}

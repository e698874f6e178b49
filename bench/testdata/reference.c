// The plain loops that Durvek's workloads are held against. Commands come line by line on standard
// input; each answers with the seconds it took:
//   w FILE BLOCKS   write blocks of 2 MiB in order, then flush
//   r FILE BLOCKS   read blocks of 2 MiB in order
//   q FILE READS    read 4 KiB at random places, one at a time
//   l FILE READS    the same, and answers the median latency
//   d FILE READS    the same by 32 threads at once, READS in all
//   m COUNT PASSES  a = b + s*c over three arrays of COUNT doubles
//   s COUNT PASSES  the sum of one array
//   f COUNT PASSES  fill one array
//   c COUNT PASSES  copy one array to another, piece by piece
//   p LINES LOADS   follow links through so many cache lines of 64 bytes; answers seconds per load
#define _GNU_SOURCE
#include <fcntl.h>
#include <pthread.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

enum { BLOCK = 2 << 20, SMALL = 16384, POOL = 8, DEPTH = 24 };

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

static int ascending(const void *x, const void *y) {
	double a = *(const double *)x, b = *(const double *)y;
	return (a > b) - (a < b);
}

// reader is one of many threads that read small pieces.
struct reader { int fd; long reads, size; unsigned char *into; uint64_t state; int ok; };

static pthread_barrier_t gate;

static void *reading(void *arg) {
	struct reader *r = arg;
	uint64_t x = r->state;
	r->ok = 1;
	pthread_barrier_wait(&gate);
	for (long i = 0; r->ok && i < r->reads; i++) {
		x ^= x << 13; x ^= x >> 7; x ^= x << 17;
		r->ok = pread(r->fd, r->into, SMALL, (long)(x % (uint64_t)(r->size / SMALL)) * SMALL) == SMALL;
	}
	return NULL;
}

// flow streams through memory as the letter says.
static double flow(char what, long n, long passes) {
	static volatile double sink;
	double t = now();
	for (long p = 0; p < passes; p++) {
		if (what == 's') {
			double s0 = 0, s1 = 0, s2 = 0, s3 = 0, s4 = 0, s5 = 0, s6 = 0, s7 = 0;
			for (long i = 0; i + 8 <= n; i += 8) {
				s0 += c[i]; s1 += c[i + 1]; s2 += c[i + 2]; s3 += c[i + 3];
				s4 += c[i + 4]; s5 += c[i + 5]; s6 += c[i + 6]; s7 += c[i + 7];
			}
			sink = s0 + s1 + s2 + s3 + s4 + s5 + s6 + s7;
			if (sink != 2.0 * n) return -1;
		} else if (what == 'f') {
			for (long i = 0; i < n; i++) a[i] = 5;
		} else {
			for (long i = 0; i < n; i += BLOCK / 8) memcpy(a + i, c + i, BLOCK);
		}
		__asm__ volatile("" ::: "memory");
	}
	return now() - t;
}

// chase follows one random cycle through lines of 64 bytes.
static double chase(long lines, long loads) {
	static uint32_t *set;
	static long made;
	if (made != lines) {
		free(set);
		if (posix_memalign((void **)&set, 2 << 20, lines * 64)) return -1;
		madvise(set, lines * 64, MADV_HUGEPAGE);
		for (long i = 0; i < lines; i++) set[i * 16] = i;
		for (long i = lines - 1; i > 0; i--) {
			long j = next() % (uint64_t)i;
			uint32_t x = set[i * 16]; set[i * 16] = set[j * 16]; set[j * 16] = x;
		}
		for (long i = 0; i < lines; i++) set[i * 16] *= 16;
		made = lines;
	}
	uint32_t at = 0;
	double t = now();
	for (long i = 0; i < loads; i++) at = set[at];
	t = now() - t;
	return at % 16 ? -1 : t / loads;
}

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
		if (sscanf(line, "p %ld %ld", &n, &passes) == 2) {
			t = chase(n, passes);
		} else if (sscanf(line, "%c %ld %ld", &what, &n, &passes) == 3 && strchr("msfc", what)) {
			if (held != n) {
				free(a); free(b); free(c);
				a = array(n); b = array(n); c = array(n);
				for (long i = 0; i < n; i++) { a[i] = 0; b[i] = 1; c[i] = 2; }
				held = n;
			}
			double s = 3;
			if (what != 'm') {
				printf("%.15g\n", flow(what, n, passes));
				fflush(stdout);
				continue;
			}
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
			if (what == 'd') {
				pthread_t threads[DEPTH];
				static struct reader readers[DEPTH];
				for (int i = 0; i < DEPTH; i++) readers[i] = (struct reader){fd, n / DEPTH, st.st_size, pool + (size_t)i * SMALL, next() | 1, 0};
				pthread_barrier_init(&gate, NULL, DEPTH + 1);
				for (int i = 0; i < DEPTH; i++) if (pthread_create(&threads[i], NULL, reading, &readers[i])) return 1;
				t = now();
				pthread_barrier_wait(&gate);
				for (int i = 0; i < DEPTH; i++) { pthread_join(threads[i], NULL); ok = ok && readers[i].ok; }
				printf("%.15g\n", ok ? now() - t : -1);
				fflush(stdout);
				close(fd);
				continue;
			}
			double *each = what == 'l' ? malloc(n * sizeof *each) : NULL, last = now();
			t = now();
			for (long i = 0; ok && i < n; i++) {
				if (what == 'w') ok = pwrite(fd, pool + (size_t)((i + 7) % POOL) * BLOCK, BLOCK, (i % blocks) * BLOCK) == BLOCK;
				else if (what == 'r') ok = pread(fd, into, BLOCK, (i % blocks) * BLOCK) == BLOCK;
				else ok = pread(fd, into, SMALL, (long)(next() % (uint64_t)(st.st_size / SMALL)) * SMALL) == SMALL;
				if (each) { double x = now(); each[i] = x - last; last = x; }
			}
			if (what == 'w') ok = ok && fsync(fd) == 0;
			t = ok ? now() - t : -1;
			if (each && ok) { qsort(each, n, sizeof *each, ascending); t = each[n / 2]; }
			free(each);
			close(fd);
		}
		printf("%.15g\n", t);
		fflush(stdout);
	}
	return 0;
}

//go:build amd64 && !purego

#include "textflag.h"

DATA ·ones16<>+0(SB)/8, $0x0001000100010001
DATA ·ones16<>+8(SB)/8, $0x0001000100010001
DATA ·ones16<>+16(SB)/8, $0x0001000100010001
DATA ·ones16<>+24(SB)/8, $0x0001000100010001
GLOBL ·ones16<>(SB), RODATA|NOPTR, $32

// One group of four values of one place against four weights of sixteen channels.
#define PLACE(at, lo, hi) \
	VPBROADCASTD at, Y10;     \
	VPMADDUBSW Y8, Y10, Y11;  \
	VPMADDUBSW Y9, Y10, Y12;  \
	VPMADDWD Y15, Y11, Y11;   \
	VPMADDWD Y15, Y12, Y12;   \
	VPADDD Y11, lo, lo;       \
	VPADDD Y12, hi, hi

// func convolveAVX2(acc *int32, accStep int, in *uint8, rowStep, step, rows, fours int, weights *int8, bias *int32)
TEXT ·convolveAVX2(SB), NOSPLIT, $0-72
	MOVQ acc+0(FP), DI
	MOVQ accStep+8(FP), R12
	MOVQ in+16(FP), SI
	MOVQ rowStep+24(FP), R8
	MOVQ step+32(FP), R9
	MOVQ rows+40(FP), R10
	MOVQ fours+48(FP), R11
	MOVQ weights+56(FP), DX
	MOVQ bias+64(FP), BX
	LEAQ (R9)(R9*2), AX
	VMOVDQU ·ones16<>(SB), Y15
	VMOVDQU (BX), Y0
	VMOVDQU 32(BX), Y1
	VMOVDQA Y0, Y2
	VMOVDQA Y1, Y3
	VMOVDQA Y0, Y4
	VMOVDQA Y1, Y5
	VMOVDQA Y0, Y6
	VMOVDQA Y1, Y7

row:
	MOVQ SI, R13
	MOVQ R11, CX

four:
	VMOVDQU (DX), Y8
	VMOVDQU 32(DX), Y9
	ADDQ $64, DX
	PLACE((R13), Y0, Y1)
	PLACE((R13)(R9*1), Y2, Y3)
	PLACE((R13)(R9*2), Y4, Y5)
	PLACE((R13)(AX*1), Y6, Y7)
	ADDQ $4, R13
	DECQ CX
	JNZ four
	ADDQ R8, SI
	DECQ R10
	JNZ row

	VMOVDQU Y0, (DI)
	VMOVDQU Y1, 32(DI)
	ADDQ R12, DI
	VMOVDQU Y2, (DI)
	VMOVDQU Y3, 32(DI)
	ADDQ R12, DI
	VMOVDQU Y4, (DI)
	VMOVDQU Y5, 32(DI)
	ADDQ R12, DI
	VMOVDQU Y6, (DI)
	VMOVDQU Y7, 32(DI)
	VZEROUPPER
	RET

DATA ·most<>+0(SB)/4, $127
GLOBL ·most<>(SB), RODATA|NOPTR, $4

// func squeezeAVX2(dst *uint8, acc *int32, gain *float32, was *uint8, wasGain float32, n int)
TEXT ·squeezeAVX2(SB), NOSPLIT, $0-48
	MOVQ dst+0(FP), DI
	MOVQ acc+8(FP), SI
	MOVQ gain+16(FP), DX
	MOVQ was+24(FP), BX
	VBROADCASTSS wasGain+32(FP), Y8
	MOVQ n+40(FP), CX
	VPBROADCASTD ·most<>(SB), Y9
	VPXOR Y10, Y10, Y10
	XORQ AX, AX
	TESTQ BX, BX
	JZ plain

mixed:
	VCVTDQ2PS (SI)(AX*4), Y0
	VMULPS (DX)(AX*4), Y0, Y0
	VPMOVZXBD (BX)(AX*1), Y1
	VCVTDQ2PS Y1, Y1
	VMULPS Y8, Y1, Y1
	VADDPS Y1, Y0, Y0
	VCVTPS2DQ Y0, Y0
	VPMAXSD Y10, Y0, Y0
	VPMINSD Y9, Y0, Y0
	VEXTRACTI128 $1, Y0, X1
	VPACKUSDW X1, X0, X0
	VPACKUSWB X0, X0, X0
	VMOVQ X0, (DI)(AX*1)
	ADDQ $8, AX
	CMPQ AX, CX
	JLT mixed
	VZEROUPPER
	RET

plain:
	VCVTDQ2PS (SI)(AX*4), Y0
	VMULPS (DX)(AX*4), Y0, Y0
	VCVTPS2DQ Y0, Y0
	VPMAXSD Y10, Y0, Y0
	VPMINSD Y9, Y0, Y0
	VEXTRACTI128 $1, Y0, X1
	VPACKUSDW X1, X0, X0
	VPACKUSWB X0, X0, X0
	VMOVQ X0, (DI)(AX*1)
	ADDQ $8, AX
	CMPQ AX, CX
	JLT plain
	VZEROUPPER
	RET

// func alongAVX2(acc *int32, in *uint8, step, taps int, weights, bias *int32, n int)
TEXT ·alongAVX2(SB), NOSPLIT, $0-56
	MOVQ acc+0(FP), DI
	MOVQ in+8(FP), SI
	MOVQ step+16(FP), R9
	MOVQ taps+24(FP), R10
	MOVQ weights+32(FP), DX
	MOVQ bias+40(FP), BX
	MOVQ n+48(FP), CX
	LEAQ (R9*4), R8
	XORQ AX, AX

channels:
	VMOVDQU (BX)(AX*4), Y0
	LEAQ (SI)(AX*1), R11
	LEAQ (DX)(AX*4), R12
	MOVQ R10, R13

tap:
	VPMOVZXBD (R11), Y1
	VPMULLD (R12), Y1, Y1
	VPADDD Y1, Y0, Y0
	ADDQ R9, R11
	ADDQ R8, R12
	DECQ R13
	JNZ tap
	VMOVDQU Y0, (DI)(AX*4)
	ADDQ $8, AX
	CMPQ AX, CX
	JLT channels
	VZEROUPPER
	RET

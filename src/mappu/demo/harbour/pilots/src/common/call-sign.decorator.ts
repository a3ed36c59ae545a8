import { applyDecorators } from '@nestjs/common';
import { Matches, MaxLength } from 'class-validator';

/** A pilot's call sign: two letters and up to three digits. */
export const IsCallSign = () => applyDecorators(MaxLength(5), Matches(/^[A-Z]{2}\d{1,3}$/, { message: 'call sign' }));

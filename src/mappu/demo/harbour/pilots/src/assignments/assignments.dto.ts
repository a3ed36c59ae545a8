import { ArrayMaxSize, IsArray, IsDateString, IsString, Matches, MaxLength, ValidateNested } from 'class-validator';

export class Leg {
  @IsString()
  @MaxLength(40)
  from: string;

  @IsString()
  @MaxLength(40)
  to: string;
}

export class CreateAssignment {
  @Matches(/\d{9}/)
  mmsi: string;

  @IsDateString()
  boarding: string;

  @IsArray()
  @ArrayMaxSize(6)
  @ValidateNested({ each: true })
  legs: Leg[];
}

export interface Remark {
  text: string;
  by: string;
}
